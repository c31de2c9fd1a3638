"""Write docs/measures.md from the table of measures: run after a measure was added or changed."""

from __future__ import annotations

from pathlib import Path

from deepmirror.core.measures.table import MEASURES

PAGE = Path(__file__).resolve().parents[1] / "docs" / "measures.md"
HEAD = """# Measures

Made from `core/measures` by `scripts/measures_table.py`; a test keeps both the same. “From memory” says that the source was not at
hand. Films: side, front (front and rear). Every number has an uncertainty *u* (k = 2) beside it.

| name | title | unit | films | of | needs | definition from |
|---|---|---|---|---|---|---|
"""


def page() -> str:
    """The whole page."""
    rows = []
    for m in MEASURES.values():
        films, per, needs = ", ".join(m.views), "rep" if m.per_rep else "film", ", ".join(m.needs).replace("_", " ")
        rows.append(f"| `{m.name}` | {m.title} | {m.unit} | {films} | {per} | {needs} | {m.source} |")
    return HEAD + "\n".join(rows) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page(), "utf-8")
