"""measures.json, as the batch contract says."""

from __future__ import annotations

from pathlib import Path

from deepmirror.exchange.exports import Export, ExportData
from deepmirror.exchange.measures_json import write_json


def write(path: Path, data: ExportData) -> None:
    """Write whole or not at all."""
    write_json(path, data.record)


EXPORT = Export("measures.json", write)
