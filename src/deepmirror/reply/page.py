"""The page a client reads: one HTML file that needs nothing else."""

from __future__ import annotations

import base64
from importlib import resources
from typing import Any

from jinja2 import Environment, PackageLoader, select_autoescape

from deepmirror.reply.model import Reply


def render_page(reply: Reply, stills: dict[str, bytes], film: bytes | None, captions: str) -> str:
    """HTML with stills (PNG by correction code), film (MP4) and captions (WebVTT) inside."""
    environment = Environment(
        loader=PackageLoader("deepmirror.reply"), autoescape=select_autoescape(), trim_blocks=True, lstrip_blocks=True
    )
    fonts = resources.files("deepmirror") / "assets" / "fonts"
    context: dict[str, Any] = {
        "reply": reply,
        "stills": {k: _data("image/png", v) for k, v in stills.items()},
        "film": _data("video/mp4", film) if film else None,
        "captions": _data("text/vtt", captions.encode()),
        "regular": _data("font/ttf", (fonts / "AtkinsonHyperlegible_400Regular.ttf").read_bytes()),
        "bold": _data("font/ttf", (fonts / "AtkinsonHyperlegible_700Bold.ttf").read_bytes()),
    }
    return environment.get_template("page.html").render(**context)


def _data(kind: str, content: bytes) -> str:
    return f"data:{kind};base64,{base64.b64encode(content).decode()}"
