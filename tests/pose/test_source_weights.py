"""How far network, flow and patches are believed, joint by joint."""

from __future__ import annotations

import pytest

from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.source_weights import FRONT, SIDE_FLOW, SourceWeights, movement_weights, weight_of


def test_flow_counts_less_from_the_side_and_least_where_the_movement_says_so() -> None:
    table = movement_weights(load_catalogue().movement("leg_extension"), "side-left")
    assert weight_of(table, "knee_left") == SourceWeights(step=SIDE_FLOW["rest"]) and SIDE_FLOW["rest"] > SIDE_FLOW["hip"]
    assert weight_of(table, "ankle_left").step == pytest.approx(2.5 * SIDE_FLOW["rest"]), "the roller passes before it"
    assert weight_of(table, "roller") == SourceWeights(), "a mark is followed as it was clicked"


def test_no_movement_says_how_far_the_network_is_believed() -> None:
    """Each look says that itself, by its own heat maps and readings."""
    for movement in load_catalogue().movements.values():
        assert all(w.network == 1.0 for w in movement_weights(movement, "side-right").values())


def test_front_films_have_one_table_for_all_movements() -> None:
    squat, press = (movement_weights(load_catalogue().movement(m), "front") for m in ("back_squat", "leg_press"))
    assert squat is press is FRONT
