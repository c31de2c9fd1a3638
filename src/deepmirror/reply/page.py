"""The page a client reads: one HTML file that needs nothing else."""

from __future__ import annotations

import base64
from importlib import resources

from deepmirror.documents import Document
from deepmirror.reply.model import Reply
from deepmirror.reply.pages import template
from deepmirror.reply.request import RetakeRequest


def render_page(reply: Reply, stills: dict[str, bytes], film: bytes | None, captions: str) -> str:
    """HTML with stills (PNG by correction code), film (MP4) and captions (WebVTT) inside."""
    fonts = resources.files("deepmirror") / "assets" / "fonts"
    context: Document = {
        "reply": reply,
        "stills": {k: _data("image/png", v) for k, v in stills.items()},
        "film": _data("video/mp4", film) if film else None,
        "captions": _data("text/vtt", captions.encode()) if "-->" in captions else None,
        "regular": _data("font/ttf", (fonts / "AtkinsonHyperlegible_400Regular.ttf").read_bytes()),
        "bold": _data("font/ttf", (fonts / "AtkinsonHyperlegible_700Bold.ttf").read_bytes()),
    }
    return template("page.html").render(**context)


def render_request(request: RetakeRequest, plan_png: bytes) -> str:
    """HTML of a request for a new film, with its camera plan (PNG) inside."""
    face = resources.files("deepmirror") / "assets" / "fonts" / "AtkinsonHyperlegible_400Regular.ttf"
    parts = {"plan": _data("image/png", plan_png), "regular": _data("font/ttf", face.read_bytes())}
    return template("request.html").render(request=request, **parts)


def _data(kind: str, content: bytes) -> str:
    return f"data:{kind};base64,{base64.b64encode(content).decode()}"
