"""How a page's words get onto it: its template, and every text in the reader's language."""

from __future__ import annotations

from xml.sax.saxutils import escape

from jinja2 import Environment, PackageLoader, Template, select_autoescape

from deepmirror.words import in_language, joined, say


def template(name: str) -> Template:
    """A page's template; what its places show is said in the reader's language."""
    environment = Environment(
        loader=PackageLoader("deepmirror.reply"), autoescape=select_autoescape(), trim_blocks=True, lstrip_blocks=True, finalize=_shown
    )
    environment.globals |= {"say": say, "joined": joined}
    return environment.get_template(name)


def written(words: str) -> str:
    """A text in the reader's language as a printed page takes it: without markup of its own."""
    return escape(in_language(words))


def _shown(value: object) -> object:
    """Pictures and films written into a page are no words."""
    return in_language(value) if isinstance(value, str) and not value.startswith("data:") else value
