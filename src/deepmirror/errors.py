"""The error tree.

DeepMirrorError            anything the user can be told in one sentence
├── BadFilm                the file cannot be read as a film
├── BadEvidence            what was seen in a film cannot be read back; it is made again
├── BadBrief               what the coach (or a file) says about a film does not hold together
├── CannotSolve            clicks, marks and lengths of a film contradict one another
├── BadBundle              what a client sent cannot be taken in
├── BadMovement            a movement definition does not validate
├── BadPlan                a plan, a done set or a training history does not hold together
├── LibraryError           the library folder or its database cannot be used
│   ├── LibraryBusy        another program has the library open
│   ├── LibraryDamaged     its database is damaged; backups may be at hand
│   ├── Gone                what is asked for was deleted meanwhile
│   └── ReadOnly           the library is open for reading only
├── NoSound                there is no microphone, or its sound cannot be read
├── ReplyError             a reply cannot be composed or written
├── WorkFailed             work in a process of its own ended before it was done
└── Cancelled              the user stopped the work; not a fault

Our own bugs are ordinary exceptions: they are never turned into one of these.
"""

from __future__ import annotations

LONGEST_SENTENCE = 600


def one_line(words: str, most: int = LONGEST_SENTENCE) -> str:
    """Words as one line that any screen, log or database takes: no control or half characters, no more than `most` of them."""
    plain = "".join(c if c.isprintable() else " " for c in words.encode("utf-8", "replace").decode("utf-8"))
    line = " ".join(plain.split())
    if line == words and len(line) <= most:
        return words
    return line if len(line) <= most else line[: most - 1].rstrip() + "…"


class DeepMirrorError(Exception):
    """Base of everything shown to the user in words, as one line; keeps the parameters it was made from."""

    def __init__(self, sentence: str, **details: object) -> None:
        self.sentence = one_line(sentence)
        super().__init__(self.sentence)
        self.details = details


class BadFilm(DeepMirrorError):
    """The file cannot be read as a film."""


class NoCamera(DeepMirrorError):
    """A camera is not there, or gives no pictures this program can read."""


class RecordingFailed(DeepMirrorError):
    """A film could not be recorded."""


class BadEvidence(DeepMirrorError):
    """What was seen in a film cannot be read back."""


class BadBrief(DeepMirrorError):
    """The description of a film is missing something or contradicts itself."""


class CannotSolve(DeepMirrorError):
    """Clicks, marks and lengths contradict one another: no body has them."""


class BadBundle(DeepMirrorError):
    """What a client sent cannot be taken in."""


class BadMovement(DeepMirrorError):
    """A movement definition is not valid."""


class BadPlan(DeepMirrorError):
    """A plan, a done set or a training history does not hold together."""


class LibraryError(DeepMirrorError):
    """The library cannot be opened, read or written."""


class LibraryBusy(LibraryError):
    """Another program has the library open for writing."""


class LibraryDamaged(LibraryError):
    """The library's database is damaged."""


class Gone(LibraryError):
    """What is asked for is no longer in the library."""


class ReadOnly(LibraryError):
    """The library is open for reading only."""

    def __init__(self) -> None:
        super().__init__("This library is open for reading only: nothing can be changed here.")


class NoSound(DeepMirrorError):
    """There is no microphone, or its sound cannot be read."""


class ReplyError(DeepMirrorError):
    """A reply cannot be composed or written."""


class WorkFailed(DeepMirrorError):
    """Work in a process of its own ended before it was done."""


class Cancelled(DeepMirrorError):
    """The work was stopped on request."""

    def __init__(self) -> None:
        super().__init__("Stopped.")
