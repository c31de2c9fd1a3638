"""How far lengths predicted from stature are from those of parametric bodies: `python -m studio.lengths`.

Needs the studio's environment (the bodies) and the program itself on the path. Several shapes of both sexes; the model's
joint centres stand for the truth.
"""

from __future__ import annotations

import numpy as np

from deepmirror.core.body.anthropometry import STATURE_SHARES
from deepmirror.core.camera.sagittal_fit import JOINT_SHARE
from studio.body import build

CLOTHES = {
    "skin": [180, 140, 110],
    "shirt": [90, 90, 90],
    "shorts": [60, 60, 60],
    "shoes": [200, 200, 200],
    "sole": [230, 230, 230],
    "hair": [30, 30, 30],
    "stripe": [120, 120, 120],
    "hem": [30],
}


def shapes() -> list[tuple[str, float, dict[str, float]]]:
    """Name, stature (cm) and phenotype of every body."""
    out = []
    for gender, statures in ((0.0, (168.0, 182.0, 195.0)), (1.0, (155.0, 167.0, 180.0))):
        for stature in statures:
            for weight, proportions in ((0.35, 0.35), (0.5, 0.5), (0.7, 0.65)):
                name = f"lengths-{gender:.0f}-{stature:.0f}-{weight}"
                height = (stature - 150) / 50
                shape = {"gender": gender, "age": 0.65, "muscle": 0.5, "weight": weight, "height": height, "proportions": proportions}
                out.append((name, stature, shape))
    return out


def main() -> None:
    """Print the error statistics."""
    errors: dict[str, list[float]] = {}
    for name, stature, phenotype in shapes():
        body = build(name, phenotype, stature, CLOTHES, 1)
        mid = lambda j, b=body: (b.joints[f"{j}_left"] + b.joints[f"{j}_right"]) / 2
        true = {
            "thigh": body.length("hip_left", "knee_left"),
            "shank": body.length("knee_left", "ankle_left"),
            "trunk": float(np.linalg.norm(mid("shoulder") - mid("hip"))),
            "biacromial": body.length("shoulder_left", "shoulder_right"),
            "hip_breadth": body.length("hip_left", "hip_right"),
        }
        for segment, metres in true.items():
            predicted = STATURE_SHARES[segment] * JOINT_SHARE.get(segment, 1.0) * stature
            errors.setdefault(segment, []).append(100 * (predicted / (100 * metres) - 1))
    for segment, values in errors.items():
        print(f"{segment:12s} predicted minus true: mean {np.mean(values):+5.1f} %  sd {np.std(values):4.1f} %  n {len(values)}")


if __name__ == "__main__":
    main()
