"""The error tree.

DeepMirrorError            anything the user can be told in one sentence
├── BadFilm                the file cannot be read as a film
├── BadBrief               what the coach (or a file) says about a film does not hold together
├── BadBundle              what a client sent cannot be taken in
├── BadMovement            a movement definition does not validate
├── LibraryError           the library folder or its database cannot be used
├── ReplyError             a reply cannot be composed or written
└── Cancelled              the user stopped the work; not a fault

Our own bugs are ordinary exceptions: they are never turned into one of these.
"""

from __future__ import annotations


class DeepMirrorError(Exception):
    """Base of everything shown to the user in words; keeps the parameters it was made from."""

    def __init__(self, sentence: str, **details: object) -> None:
        super().__init__(sentence)
        self.sentence = sentence
        self.details = details


class BadFilm(DeepMirrorError):
    """The file cannot be read as a film."""


class BadBrief(DeepMirrorError):
    """The description of a film is missing something or contradicts itself."""


class BadBundle(DeepMirrorError):
    """What a client sent cannot be taken in."""


class BadMovement(DeepMirrorError):
    """A movement definition is not valid."""


class LibraryError(DeepMirrorError):
    """The library cannot be opened, read or written."""


class ReplyError(DeepMirrorError):
    """A reply cannot be composed or written."""


class Cancelled(DeepMirrorError):
    """The work was stopped on request."""

    def __init__(self) -> None:
        super().__init__("Stopped.")
