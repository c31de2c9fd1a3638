"""The client's body: lengths with their source, predicted from stature where nobody measured.

Predictions: Drillis & Contini (1966) as shares of stature, in Winter, Biomechanics and Motor Control of Human Movement,
figure 4.1 (from memory). The prediction's spread of about 5 % (k = 2 about 8 %) is our own estimate, no source.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from deepmirror.core.body.anthropometry import STATURE_SHARES

Source = Literal["measured", "from_film", "predicted"]

U_SHARE: dict[str, float] = {"measured": 0.03, "from_film": 0.05, "predicted": 0.08}  # k = 2; common practice, no source
JOINT_SHARE = {"hip_breadth": 0.62, "biacromial": 0.80}  # joint centres' distance of the predicted outer breadth; from memory
FALLBACK_STATURE_CM = 170.0  # between the usual statures of women and men; from memory, no source


@dataclass(frozen=True)
class Length:
    """A body length in cm and where it comes from."""

    cm: float
    source: Source

    @property
    def u_cm(self) -> float:
        """Expanded uncertainty (k = 2), cm."""
        return self.cm * U_SHARE[self.source]


@dataclass(frozen=True)
class Body:
    """What is known of a client; absent lengths are predicted on request."""

    stature_cm: float | None = None
    mass_kg: float | None = None
    sex: str = "unspecified"
    measured_cm: dict[str, float] = field(default_factory=dict)
    film_cm: dict[str, float] = field(default_factory=dict)

    def length(self, name: str) -> Length:
        """A length of STATURE_SHARES: measured, else taken from films, else predicted. Raises KeyError for a name it does not know."""
        if name in self.measured_cm:
            return Length(self.measured_cm[name], "measured")
        if name in self.film_cm:
            return Length(self.film_cm[name], "from_film")
        return Length(STATURE_SHARES[name] * self.stature(), "predicted")

    def joint_breadth(self, name: str) -> Length:
        """Distance of the two joints' centres, name of JOINT_SHARE: measured as such, or the predicted outer breadth brought down to it."""
        length = self.length(name)
        return length if length.source == "measured" else Length(JOINT_SHARE[name] * length.cm, length.source)

    def stature(self) -> float:
        """Stature in cm, measured or the usual one."""
        return self.stature_cm or FALLBACK_STATURE_CM

    def known(self) -> bool:
        """True when at least the stature or the leg was measured."""
        return self.stature_cm is not None or {"thigh", "shank"} <= set(self.measured_cm)
