"""The client's record in the core's terms."""

from __future__ import annotations

from deepmirror.core.body.client_body import Body
from deepmirror.exchange.brief import ClientPart


def body_of(client: ClientPart) -> Body:
    """Stature, mass, sex and lengths."""
    return Body(client.stature_cm, client.mass_kg, client.sex, dict(client.segments_cm), dict(client.film_cm))
