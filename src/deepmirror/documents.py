"""JSON objects on their way into or out of a file or the database."""

from __future__ import annotations

from typing import Any

Document = dict[str, Any]
"""A JSON object as it is written. It is checked into a model before anything is concluded from it."""
