"""Colours by which the client is told from somebody else: read where they are, learned, and kept up with the light."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.skeleton import SIDES, sided
from deepmirror.pose.appearance import CHAIN, FIRST_LOOKS, UNLIKE, Appearance, as_clicked, colours
from deepmirror.pose.identity import Client
from deepmirror.pose.network import NETWORK_INDEX, Detection

HEIGHTS = {"shoulder": 100, "hip": 300, "knee": 500, "ankle": 700}
BODY = np.ones((256, 256), np.float32)


def body_at(left: float, right: float) -> Detection:
    """A body upright in the picture, its sides at so many px."""
    points = np.zeros((39, 2))
    for joint in CHAIN:
        for side, x in zip(SIDES, (left, right), strict=True):
            points[NETWORK_INDEX[sided(joint, side)]] = x, HEIGHTS[joint]
    points[33], points[34] = (left, 300), (left, 0)
    return Detection(points, np.ones(39), 0.9, 0.8, np.ones(39), BODY, np.eye(2, 3))


def test_colours_are_those_along_trunk_and_legs() -> None:
    """Red shirt, green shorts, blue socks. CIE Lab of the sRGB primaries under D65 (from memory, as printed with IEC 61966-2-1)."""
    picture = np.zeros((800, 400, 3), np.uint8)
    picture[:300, :200, 0], picture[300:500, :200, 1], picture[500:, :200, 2] = 255, 255, 255
    seen = colours(picture, body_at(100, 500))
    assert seen.shape == (12, 3)
    expected = [(53.2, 80.1, 67.2), (87.7, -86.2, 83.2), (32.3, 79.2, -107.9)]
    assert seen[:6] == pytest.approx(np.repeat(expected, 2, axis=0), abs=0.5)
    assert np.isnan(seen[6:]).all(), "the other side lies outside the picture"


def test_somebody_else_is_unlike_her_and_she_herself_is_not() -> None:
    rng, hers = np.random.default_rng(1), np.tile([50.0, 20.0, 10.0], (12, 1))
    known = Appearance()
    for _ in range(FIRST_LOOKS):
        assert not known.unlike(hers + 80), "nothing is known yet"
        known = known.with_look(hers + rng.normal(0, 3, hers.shape))
    assert not known.unlike(hers + rng.normal(0, 3, hers.shape))
    assert known.unlike(hers + [0, UNLIKE + 5, 0])
    half_hidden = hers.copy()
    half_hidden[:5] += 60
    assert not known.unlike(half_hidden), "a plate before her shoulder makes her nobody else"
    assert not known.unlike(np.full((12, 3), np.nan)), "out of the picture tells nothing"


def test_whose_looks_vary_by_themselves_is_given_more_room() -> None:
    rng, hers = np.random.default_rng(2), np.tile([50.0, 0.0, 0.0], (12, 1))
    steady, varied = as_clicked(hers), as_clicked(hers)
    for _ in range(100):
        steady, varied = steady.with_look(hers), varied.with_look(hers + rng.normal(0, 8, hers.shape))
    other = hers + [UNLIKE + 4, 0, 0]
    assert steady.unlike(other) and not varied.unlike(other)


def test_the_light_may_change_slowly() -> None:
    hers = np.tile([40.0, 0.0, 0.0], (12, 1))
    known = as_clicked(hers)
    for step in range(60):
        now = hers + [0.5 * step, 0, 0]
        assert not known.unlike(now)
        known = known.with_look(now)
    assert as_clicked(hers).unlike(hers + [29.5, 0, 0]), "at once the same change is another one"


def test_what_is_rather_unlike_her_is_somebody_else_where_she_was_not() -> None:
    """Of one a plate half hides the colours vary, and who walks past in other clothes is hardly more unlike her than that."""
    rng, hers = np.random.default_rng(4), np.tile([50.0, 20.0, 10.0], (12, 1))
    known = as_clicked(hers)
    for _ in range(200):
        known = known.with_look(hers + rng.normal(0, 1, hers.shape) + rng.choice([-10, 10], (12, 1)) * [1, 0, 0])
    other = hers + [0, 1.65 * known.usual, 0]
    assert 1.65 * known.usual > UNLIKE and not known.unlike(other) and known.unlike(other, elsewhere=True)
    assert not known.unlike(hers + [9.0, 0, 0], elsewhere=True)


def test_a_body_in_rather_other_clothes_is_doubted_where_she_was_not_and_not_where_she_was() -> None:
    hers, other = np.full((800, 900, 3), 100, np.uint8), np.full((800, 900, 3), 140, np.uint8)
    client = Client().clicked(hers, body_at(100, 300))
    off = float(np.linalg.norm(colours(other, body_at(100, 300)) - client.appearance.known, axis=1).mean())
    client = replace(client, appearance=replace(client.appearance, usual=off / 1.65))
    assert off > UNLIKE and not client.doubts(other, body_at(100, 300)) and client.doubts(other, body_at(400, 600))
    assert not client.doubts(hers, body_at(400, 600)), "she may have moved"
