"""What computes each measure, by name: of a rep, and of a film."""

from __future__ import annotations

from deepmirror.core.measures.table import MEASURES

REP_MEASURES = {name: spec.compute for name, spec in MEASURES.items() if spec.per_rep}
FILM_MEASURES = {name: spec.compute for name, spec in MEASURES.items() if not spec.per_rep}
