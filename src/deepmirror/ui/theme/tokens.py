"""Colours and sizes of the interface: a warm dark stage for the film, bone-coloured paper around it, one copper accent."""

from __future__ import annotations

INK = "#1a1614"
INK_SOFT = "#2b2522"
STAGE_TEXT = "#e9e0d0"
STAGE_DIM = "#a3988a"
BONE = "#f4eee2"
PAPER = "#fffaf0"
PAPER_LINE = "#ddd2bf"
TEXT = "#2a2420"
TEXT_DIM = "#6d625a"
DISABLED = "#a89e90"
COPPER = "#b4562a"
COPPER_LIGHT = "#e08a58"
TEAL = "#147074"
TEAL_LIGHT = "#40d0ca"
FAMILY = "Atkinson Hyperlegible"
BASE_PX = 15
