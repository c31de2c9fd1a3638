"""Sentences that can still be said in another language after they were made: an English text that remembers its parts.

Whatever computes, stores or judges says its sentences in English, as text like any other. What is shown to somebody goes through
`in_language` last, which knows one translation for a sentence's pattern and fills its parts in. No language is known here:
the interface gives one with `speak_with`, and without it everything stays English.
"""

from __future__ import annotations

import string
from collections.abc import Callable, Iterable
from functools import cache
from typing import Any


class Said(str):
    """A text in English with the pattern and the parts it was made of; a pattern's {places} are those of str.format."""

    pattern: str
    parts: dict[str, Any]
    begins: str

    def __new__(cls, pattern: str, parts: dict[str, Any], begins: str = "") -> Said:
        """begins: "large" or "small" for how the first letter is written in English, whatever the parts begin with."""
        kept = {name: str(part) if isinstance(part, BaseException) else part for name, part in parts.items()}
        said = super().__new__(cls, _beginning(pattern.format(**kept), begins))
        said.pattern, said.parts, said.begins = pattern, kept, begins
        return said

    def __str__(self) -> str:
        return self  # an error's sentence, which is str() of what it was made with, keeps its parts so

    def __add__(self, other: str) -> str:
        return say("{first}{then}", first=self, then=other)

    def __radd__(self, other: str) -> str:
        return say("{first}{then}", first=other, then=self)

    def __reduce__(self) -> tuple[Any, ...]:
        return Said, (self.pattern, self.parts, self.begins)


class Shown(str):
    """A text that is in the reader's language already; what is added to it comes into it too."""

    def __add__(self, other: str) -> str:
        return Shown(super().__add__(in_language(other)))

    def __radd__(self, other: str) -> str:
        return Shown(str.__add__(in_language(other), self))


def say(pattern: str, /, **parts: object) -> str:
    """The sentence of a pattern with {places}, as English text; shown, it is said in the language of whoever reads it."""
    return Said(pattern, parts)


def joined(between: str, texts: Iterable[str]) -> str:
    """The texts with `between` between them, like str.join."""
    parts = {f"text{i}": text for i, text in enumerate(texts)}
    return Said(between.replace("{", "{{").replace("}", "}}").join(f"{{{name}}}" for name in parts), parts)


def capital(words: str) -> str:
    """The words with a capital first letter."""
    return Said("{words}", {"words": words}, "large")


def small(words: str) -> str:
    """The words with a small first letter, where English writes one inside a sentence; other languages keep theirs."""
    return Said("{words}", {"words": words}, "small")


def _beginning(text: str, begins: str) -> str:
    first = text[:1].upper() if begins == "large" else text[:1].lower() if begins == "small" else text[:1]
    return first + text[1:]


Translate = Callable[[str], str]
_language: list[Translate] = []


def speak_with(translate: Translate | None) -> None:
    """From now on texts are shown as `translate` gives them; it gives back what it does not know. None: English again."""
    _language[:] = [translate] if translate else []


def in_language(words: str) -> str:
    """A text as it is shown: its pattern and its parts in the reader's language. What is in it already stays as it is."""
    return Shown(_shown(words, _language[0])) if _language else words


def _shown(words: str, translate: Translate) -> str:
    if isinstance(words, Shown):
        return words
    if not isinstance(words, Said):
        return translate(words) if any(c.isalpha() for c in words) else words
    parts = {name: _shown(part, translate) if isinstance(part, str) else part for name, part in words.parts.items()}
    text = _filled(translate(words.pattern) if _has_words(words.pattern) else words.pattern, words.pattern, parts)
    if words.begins == "small" and _beginning(text, "small") != words:
        return text  # said in another language, which may write its first word large here
    return _beginning(text, words.begins)


def _filled(pattern: str, english: str, parts: dict[str, Any]) -> str:
    """A translated pattern with its parts; the English one where the translation has places that are not there."""
    try:
        return pattern.format(**parts)
    except (LookupError, ValueError, AttributeError, TypeError):
        return english.format(**parts)


@cache
def _has_words(pattern: str) -> bool:
    """Whether anything of a pattern is said besides its places."""
    return any(c.isalpha() for text, *_ in string.Formatter().parse(pattern) for c in text)


def to_kept(words: str) -> str | dict[str, Any]:
    """A text as JSON can keep it with its parts; what has none, or parts that are neither text nor number, stays text."""
    if not isinstance(words, Said) or not all(isinstance(part, str | int | float) for part in words.parts.values()):
        return str(words)
    parts = {name: to_kept(part) if isinstance(part, str) else part for name, part in words.parts.items()}
    return {"pattern": words.pattern, "parts": parts, "begins": words.begins}


def from_kept(kept: str | dict[str, Any]) -> str:
    """The text that `to_kept` gave. Raises KeyError for a dictionary of another kind."""
    if isinstance(kept, str):
        return kept
    return Said(kept["pattern"], {n: from_kept(p) if isinstance(p, str | dict) else p for n, p in kept["parts"].items()}, kept["begins"])
