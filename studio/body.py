"""An invented body: rest mesh, rigid segments, clothes, and skinning.

Lengths are metres; x = the subject's left, -y = the way the upright subject faces, z up with the floor at 0.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
CACHE = Path(__file__).parent / ".cache"

# Bone-name beginnings of each rigid segment; the first match wins, "trunk" takes the rest.
SEGMENT_BONES: dict[str, tuple[str, ...]] = {
    "thigh": ("upperleg",),
    "shank": ("lowerleg",),
    "foot": ("foot", "toe"),
    "upper_arm": ("upperarm", "shoulder01"),
    "forearm": ("lowerarm",),
    "hand": ("wrist", "finger", "metacarpal"),
    "head": (
        "neck02",
        "neck03",
        "head",
        "jaw",
        "special",
        "oris",
        "tongue",
        "levator",
        "eye",
        "orbicularis",
        "temporalis",
        "oculi",
        "risorius",
    ),
}
SIDED = ("thigh", "shank", "foot", "upper_arm", "forearm", "hand")
SEGMENTS = [f"{s}_{side}" for s in SIDED for side in ("left", "right")] + ["head", "trunk"]


@dataclass(frozen=True)
class Body:
    """Rest geometry of one person.

    vertices (V, 3) m; faces (F, 3); weights (V, S) over SEGMENTS; region (V,) clothing label;
    joints: landmark name -> (3,) m at rest; normals (V, 3) at rest.
    """

    vertices: Array
    faces: NDArray[np.int64]
    weights: Array
    colours: NDArray[np.uint8]
    joints: dict[str, Array]
    normals: Array

    def length(self, a: str, b: str) -> float:
        """Distance (m) between two rest landmarks."""
        return float(np.linalg.norm(self.joints[a] - self.joints[b]))


def segment_of(bone: str) -> str:
    side = "left" if bone.endswith(".L") else "right"
    for segment, heads in SEGMENT_BONES.items():
        if bone.startswith(heads):
            return segment if segment == "head" else f"{segment}_{side}"
    return "trunk"


def rest_shape(name: str, phenotype: dict[str, float]) -> dict[str, Array]:
    """Rest mesh of the parametric body, cached because the model is slow to load."""
    CACHE.mkdir(exist_ok=True)
    path = CACHE / f"{name}.npz"
    if path.exists():
        return dict(np.load(path, allow_pickle=False))
    import anny
    import torch

    model = anny.create_fullbody_model()
    out = model(phenotype_kwargs={k: torch.tensor([v]) for k, v in phenotype.items()})
    segments = [SEGMENTS.index(segment_of(b)) for b in model.bone_labels]
    bones = model.vertex_bone_indices.numpy()
    bone_weights = model.vertex_bone_weights.numpy()
    weights = np.zeros((bones.shape[0], len(SEGMENTS)))
    for k in range(bones.shape[1]):
        np.add.at(weights, (np.arange(len(bones)), np.take(segments, bones[:, k])), bone_weights[:, k])
    quads = model.faces.numpy()
    shape = {
        "vertices": out["rest_vertices"][0].numpy().astype(float),
        "faces": np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]),
        "weights": weights / weights.sum(1, keepdims=True),
        "heads": out["rest_bone_heads"][0].numpy().astype(float),
        "bones": np.array(model.bone_labels),
    }
    np.savez_compressed(path, **shape)
    return shape


def subdivide(vertices: Array, faces: NDArray[np.int64], data: Array) -> tuple[Array, NDArray[np.int64], Array]:
    """Split every triangle in four; point data is averaged at the new vertices."""
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    unique, index = np.unique(edges, axis=0, return_inverse=True)
    index = index.reshape(3, -1) + len(vertices)
    mid = vertices[unique].mean(1)
    a, b, c = faces.T
    ab, bc, ca = index
    new = np.concatenate([np.stack(t, 1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))])
    return np.concatenate([vertices, mid]), new, np.concatenate([data, data[unique].mean(1)])


def build(name: str, phenotype: dict[str, float], stature_cm: float, clothes: dict[str, Any], seed: int, fine: bool = True) -> Body:
    """Dress the rest mesh, scale it to a stature and find its joint centres."""
    shape = rest_shape(name, phenotype)
    vertices, faces, weights = shape["vertices"], shape["faces"].astype(np.int64), shape["weights"]
    if fine:
        vertices, faces, weights = subdivide(vertices, faces, weights)
    scale = stature_cm / 100 / np.ptp(vertices[:, 2])
    offset = np.array([0, 0, vertices[:, 2].min()])
    vertices = (vertices - offset) * scale
    head = {b: (h - offset) * scale for b, h in zip(shape["bones"], shape["heads"], strict=True)}
    joints: dict[str, Array] = {}
    for side, tag in (("left", ".L"), ("right", ".R")):
        for landmark, bone in (
            ("hip", "upperleg01"),
            ("knee", "lowerleg01"),
            ("ankle", "foot"),
            ("shoulder", "upperarm01"),
            ("elbow", "lowerarm01"),
            ("wrist", "wrist"),
        ):
            joints[f"{landmark}_{side}"] = head[bone + tag]
        sole = vertices[weights[:, SEGMENTS.index(f"foot_{side}")] > 0.6]
        x = float(sole[sole[:, 1] < sole[:, 1].min() + 0.05][:, 0].mean())
        joints[f"toe_{side}"] = np.array([x, sole[:, 1].min() - 0.008, 0.02])
        joints[f"heel_{side}"] = np.array([joints[f"ankle_{side}"][0], sole[:, 1].max() + 0.008, 0.02])
        skull = vertices[weights[:, SEGMENTS.index("head")] > 0.9]
        sign = 1 if side == "left" else -1
        joints[f"ear_{side}"] = np.array([sign * 0.072 * scale / 0.93, head["head"][1] + 0.012, skull[:, 2].max() - 0.125])
    joints["neck"] = head["neck02"]
    vertices, colours = dress(vertices, faces, weights, joints, clothes, seed)
    return Body(vertices, faces, weights, colours, joints, normals(vertices, faces))


def normals(vertices: Array, faces: NDArray[np.int64]) -> Array:
    """Area-weighted vertex normals (V, 3)."""
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    face = np.cross(b - a, c - a)
    out = np.zeros_like(vertices)
    for k in range(3):
        np.add.at(out, faces[:, k], face)
    return out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12)


def dress(
    vertices: Array, faces: NDArray[np.int64], weights: Array, joints: dict[str, Array], clothes: dict[str, Any], seed: int
) -> tuple[Array, NDArray[np.uint8]]:
    """Paint skin, shirt, shorts, shoes and hair by body region, and let cloth stand off the skin a little."""
    rng = np.random.default_rng(seed)
    out, normal = vertices.copy(), normals(vertices, faces)
    colour = np.tile(np.array(clothes["skin"], float), (len(vertices), 1))
    w = {s: weights[:, i] for i, s in enumerate(SEGMENTS)}
    z = vertices[:, 2]
    hip, knee = joints["hip_left"][2], joints["knee_left"][2]
    shoulder, elbow = joints["shoulder_left"], joints["elbow_left"]
    thigh = w["thigh_left"] + w["thigh_right"]
    arm = w["upper_arm_left"] + w["upper_arm_right"]
    lower = (thigh > 0.3) & (z > knee + clothes["hem"][0] / 100 * (hip - knee)) | (w["trunk"] > 0.4) & (z < hip + 0.12)
    along = (np.abs(vertices[:, 0]) - shoulder[0]) / (elbow[0] - shoulder[0])
    upper = ((w["trunk"] > 0.45) & (z >= hip + 0.09) | (arm > 0.35) & (along < 0.55)) & (z < joints["neck"][2] - 0.02)
    feet = w["foot_left"] + w["foot_right"] > 0.5
    hair = (w["head"] > 0.8) & (
        (z > joints["ear_left"][2] + 0.045) | (vertices[:, 1] > joints["ear_left"][1] + 0.015) & (z > joints["ear_left"][2] - 0.05)
    )
    folds = 0.5 + 0.5 * np.sin(z * 95 + np.sin(vertices[:, 0] * 60 + vertices[:, 1] * 45) * 2.2)
    for region, part, lift in ((lower, "shorts", 0.010), (upper, "shirt", 0.009), (feet, "shoes", 0.009), (hair, "hair", 0.012)):
        colour[region] = clothes[part]
        out[region] += normal[region] * lift * (clothes.get("lift", 1.0) if part in ("shorts", "shirt") else 1.0)
    cloth = lower | upper
    out[cloth] += normal[cloth] * (folds[cloth, None] - 0.5) * 0.004
    colour[cloth] *= 0.86 + 0.2 * folds[cloth, None]
    if clothes.get("pattern"):
        print_ = np.sin(z * 160) * np.sin(vertices[:, 0] * 130 + vertices[:, 1] * 110)
        colour[cloth] *= 1 + clothes["pattern"] * np.sign(print_[cloth, None])
    stripe = lower & (np.abs(normal[:, 0]) > 0.93)
    colour[stripe] = clothes["stripe"]
    band = upper & (np.abs(z - (shoulder[2] - 0.16)) < 0.025)
    colour[band] = clothes["stripe"]
    sole = feet & (out[:, 2] < 0.03)
    out[sole, 2] = np.where(out[sole, 2] < 0.02, 0.0, out[sole, 2])
    colour[sole] = clothes["sole"]
    colour *= 1 + rng.normal(0, 0.05, (len(colour), 1))
    return out, np.clip(colour, 0, 255).astype(np.uint8)


def frame(origin: Array, end: Array, hint: Array) -> Array:
    """4 x 4 frame with its third axis along origin -> end and its second axis as near `hint` as it can be."""
    axis = (end - origin) / np.linalg.norm(end - origin)
    second = hint - axis * (hint @ axis)
    second /= np.linalg.norm(second)
    out = np.eye(4)
    out[:3, 0], out[:3, 1], out[:3, 2], out[:3, 3] = np.cross(second, axis), second, axis, origin
    return out


def skin(body: Body, transforms: dict[str, Array]) -> tuple[Array, Array]:
    """Posed vertices and their normals (V, 3) by linear blend of the segments' rigid transforms."""
    stack = np.stack([transforms[s] for s in SEGMENTS])
    weights = body.weights
    if "pelvis" in transforms:  # a trunk in two parts that meet between hips and ribs
        rise = (body.vertices[:, 2] - body.joints["hip_left"][2] - 0.05) / 0.28
        upper = np.clip(rise, 0, 1) ** 2 * (3 - 2 * np.clip(rise, 0, 1))
        trunk = weights[:, -1]
        weights = np.column_stack([weights[:, :-1], trunk * upper, trunk * (1 - upper)])
        stack = np.concatenate([stack[:-1], [transforms["chest"], transforms["pelvis"]]])
    homogeneous = np.c_[body.vertices, np.ones(len(body.vertices))]
    blended = np.tensordot(weights, stack[:, :3, :], axes=(1, 0))
    return np.einsum("vij,vj->vi", blended, homogeneous), np.einsum("vij,vj->vi", blended[:, :, :3], body.normals)
