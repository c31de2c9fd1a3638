"""How often the network looks, what a mirror changes, and which region the next look takes: the followed one, or one found anew."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from deepmirror.core.views import TrunkTurn
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.identity import Client
from deepmirror.pose.network import REGION_MARGIN, Detection, Region
from deepmirror.pose.pose_tracker import FINAL, GHOST_LOOKS, NEVER, QUICK, PoseTracker, _afresh, region_misfit

EMPTY = np.zeros((72, 128, 3), np.uint8)
LIES = TrunkTurn(np.pi / 2, throughout=True)


class Finds:
    """A detector that sees what it is told."""

    def __init__(self, *regions: Region) -> None:
        self._regions = regions

    def find(self, _: np.ndarray) -> list[tuple[float, Region]]:
        return [(0.9, r) for r in self._regions]


def region(x: float = 600, y: float = 350, side: float = 650, turn_deg: float = 0.0) -> Region:
    return Region(x, y, side, float(np.radians(turn_deg)))


@pytest.fixture(scope="module")
def watcher() -> PoseTracker:
    return PoseTracker(QUICK, {})


@pytest.mark.parametrize(
    ("found", "taken"),
    [
        ((region(turn_deg=6),), 0),  # the trunk has risen, the followed region still lies askew
        ((region(turn_deg=43),), None),  # they agree: the followed one is the steadier
        ((region(x=900, turn_deg=6),), None),  # somebody else
        ((region(side=300, turn_deg=6),), None),  # a child in the background
        ((region(x=760, turn_deg=90), region(x=610, turn_deg=6)), 1),  # the nearest
        ((), None),
    ],
)
def test_a_body_found_askew_to_the_followed_region_is_worth_a_look(
    watcher: PoseTracker, found: tuple[Region, ...], taken: int | None
) -> None:
    watcher._detectors[0] = Finds(*found)  # type: ignore[call-overload]
    same, _ = watcher._bodies(0, EMPTY, region(turn_deg=48))
    worth = same[0] if same and _afresh(same[0], region(turn_deg=48), blurred=False) else None
    assert worth == (None if taken is None else found[taken])


def test_turns_are_compared_around_the_circle(watcher: PoseTracker) -> None:
    watcher._detectors[0] = Finds(region(turn_deg=-175))  # type: ignore[call-overload]
    same, _ = watcher._bodies(0, EMPTY, region(turn_deg=178))
    assert same and not _afresh(same[0], region(turn_deg=178), blurred=False)


BODY = np.ones((256, 256), np.float32)


class Shows:
    """A network that wants to look elsewhere: by region looked into, the region it asks for next; how surely it sees a body, how clearly.

    Where it was not told what it sees, it wants to stay, and sees as clearly as it was told first of that place.
    """

    def __init__(
        self, wants: dict[Region, Region], presence: dict[Region, float] | None = None, clearness: dict[Region, float] | None = None
    ) -> None:
        self._wants, self._presence, self._clearness = wants, presence or {}, clearness or {}
        self.looked: list[Region] = []

    def look(self, _: np.ndarray, looked: Region) -> Detection:
        self.looked.append(looked)
        points, wanted = np.zeros((39, 2)), self._wants.get(looked, looked)
        points[33] = wanted.x, wanted.y
        points[34] = points[33] + wanted.side / 2 / REGION_MARGIN * np.array([np.sin(wanted.turn), -np.cos(wanted.turn)])
        place = [clear for told, clear in self._clearness.items() if (told.x, told.y) == (looked.x, looked.y)]
        clear = self._clearness.get(looked, place[0] if place else 0.8)
        return Detection(points, np.ones(39), self._presence.get(looked, 0.9), clear, np.ones(39), BODY, np.eye(2, 3))


@pytest.mark.parametrize("right", ["followed", "anew"])
def test_of_two_regions_the_one_whose_body_stays_is_taken(watcher: PoseTracker, right: str) -> None:
    """A followed region lags behind a rising trunk; a plate taken for a head turns the one found anew."""
    both = {"followed": region(turn_deg=48), "anew": region(turn_deg=6)}
    elsewhere = region(x=520, side=400, turn_deg=80)
    watcher._detectors[0] = Finds(both["anew"])  # type: ignore[call-overload]
    watcher._networks[0] = Shows({r: r if name == right else elsewhere for name, r in both.items()})  # type: ignore[call-overload]
    watcher._regions[0], watcher._no_better[0] = both["followed"], NEVER
    seen = watcher._look(0, 0, EMPTY).seen
    assert seen is not None
    assert np.degrees(seen.next_region().turn) == pytest.approx(np.degrees(both[right].turn))
    assert region_misfit(both[right], seen) == pytest.approx(0, abs=1e-9)


@pytest.mark.parametrize(
    ("then", "looks"),
    [
        ({}, [True, False, False, False, True]),  # the detector sees every trunk of this film turned
        ({"found": region(turn_deg=20)}, [True, True]),  # what it finds turned meanwhile
        ({"wants": region(turn_deg=20)}, [True, True]),  # the followed one fits no more
        ({"clear": 0.5}, [True, True]),  # a blur
    ],
)
def test_a_body_found_anew_that_was_no_better_is_left_alone_for_a_while(then: dict[str, Any], looks: list[bool]) -> None:
    watcher, followed, worse = PoseTracker(QUICK, {}), region(turn_deg=48), region(x=520, side=400, turn_deg=80)
    looked = []
    for turn in range(len(looks)):
        now = then if turn else {}
        found = now.get("found", region(turn_deg=6))
        network = Shows({found: worse, followed: now.get("wants", followed)}, clearness={followed: now.get("clear", 0.8)})
        watcher._detectors[0], watcher._networks[0] = Finds(found), network  # type: ignore[call-overload]
        watcher._regions[0] = followed
        watcher._look(turn, 0, EMPTY)
        looked.append(found in network.looked)
    assert looked == looks


def test_a_region_in_which_hardly_a_body_is_seen_is_not_taken_for_lying_well(watcher: PoseTracker) -> None:
    followed, plate = region(turn_deg=48), region(turn_deg=6)
    watcher._detectors[0] = Finds(plate)  # type: ignore[call-overload]
    watcher._networks[0] = Shows({followed: region(turn_deg=44), plate: plate}, {plate: 0.1})  # type: ignore[call-overload]
    watcher._regions[0] = followed
    seen = watcher._look(0, 0, EMPTY).seen
    assert seen is not None and np.degrees(seen.next_region().turn) == pytest.approx(44)


def test_a_trunk_that_leans_quickly_is_not_seen_upside_down(watcher: PoseTracker) -> None:
    """A hinge turns the trunk by 70° between two looks: the followed region is content with legs taken for a trunk, but in a blur."""
    followed, leant = region(turn_deg=5), region(turn_deg=75)
    watcher._detectors[0] = Finds(leant)  # type: ignore[call-overload]
    watcher._networks[0] = Shows({leant: region(turn_deg=82)}, clearness={followed: 0.5, leant: 0.7})  # type: ignore[call-overload]
    watcher._regions[0] = followed
    seen = watcher._look(0, 0, EMPTY).seen
    assert seen is not None and np.degrees(seen.next_region().turn) == pytest.approx(82)


class Keeps:
    """A network that sees a trunk clearly while its region lies within so many degrees of it; else it is content with where it looked."""

    def __init__(self, trunk_deg: float, within_deg: float, blur: float) -> None:
        self.trunk_deg, self._within, self._blur = trunk_deg, within_deg, blur
        self.askew_deg = 0.0

    def look(self, rgb: np.ndarray, looked: Region) -> Detection:
        self.askew_deg = self.trunk_deg - float(np.degrees(looked.turn))
        if abs(self.askew_deg) < self._within:
            return Shows({looked: region(turn_deg=self.trunk_deg)}).look(rgb, looked)
        return Shows({}, clearness={looked: self._blur}).look(rgb, looked)


def test_a_region_goes_ahead_with_a_trunk_that_turns() -> None:
    """A hinge of 70 degrees in 1.8 s turns the trunk by up to 16 degrees from one look of a lane to its next."""
    watcher, network = PoseTracker(QUICK, {}), Keeps(0.0, within_deg=14, blur=0.65)
    watcher._detectors[0], watcher._networks[0] = Finds(), network  # type: ignore[call-overload]
    watcher._regions[0] = region()
    for i, share in enumerate([0.0, 0.0, *np.arange(0, 1, 0.15), 1.0, 1.0, 1.0]):
        network.trunk_deg = 35 * (1 - np.cos(np.pi * share))
        watcher._look(i, 0, EMPTY)
    assert abs(network.askew_deg) < 1, "the trunk was kept all the way and the region came to rest with it"


def test_one_look_astray_leads_the_region_no_further(watcher: PoseTracker) -> None:
    watcher._turns[0] = [0.0, 0.0, 0.6]
    assert watcher._ahead(0, region(turn_deg=np.degrees(0.6))).turn == pytest.approx(0.6)
    watcher._turns[0] = [0.0, 0.2, 0.5]
    assert watcher._ahead(0, region(turn_deg=np.degrees(0.5))).turn == pytest.approx(0.7), "on by the lesser of the last two"
    watcher._turns[0] = []


@pytest.mark.parametrize(("turns", "seen_deg"), [(True, 70), (False, 40)])
def test_in_a_blur_the_region_is_tried_turned_either_way_where_there_is_time(turns: bool, seen_deg: float) -> None:
    """The region lies 30 degrees askew and the network is content with it, but in a blur."""
    watcher = PoseTracker(replace(QUICK, turns=turns), {})
    watcher._detectors[0], watcher._networks[0] = Finds(), Keeps(70, within_deg=5, blur=0.5)  # type: ignore[call-overload]
    watcher._regions[0], watcher._turns[0] = region(turn_deg=40), []
    seen = watcher._look(0, 0, EMPTY).seen
    assert seen is not None and np.degrees(seen.next_region().turn) == pytest.approx(seen_deg)
    assert FINAL.turns and not QUICK.turns, "a set that is counted while it is lifted waits for nothing"


def test_what_is_seen_in_a_lagging_region_is_looked_at_again_where_it_lies(watcher: PoseTracker) -> None:
    followed, there = region(turn_deg=5), region(turn_deg=60)
    watcher._detectors[0] = Finds()  # type: ignore[call-overload]
    watcher._networks[0] = Shows({followed: there, there: region(turn_deg=61)})  # type: ignore[call-overload]
    watcher._regions[0] = followed
    seen = watcher._look(0, 0, EMPTY).seen
    assert seen is not None and np.degrees(seen.next_region().turn) == pytest.approx(61)


def test_somebody_who_walks_past_takes_no_lane_along(watcher: PoseTracker) -> None:
    """One of the two lanes went off with a passer-by: the one that stayed where the client was all the time leads."""
    client, passer = region(), region(x=860)
    watcher._client = Client(told=(*[client] * 20, region(x=700), client, region(x=800), client))
    watcher._regions = [passer, client]
    watcher._keep_together(0)
    assert watcher._regions == [client, client]
    watcher._regions = [region(x=640), client]
    watcher._keep_together(0)
    assert watcher._regions[0] == region(x=640)


def test_the_client_is_looked_for_where_she_was_clicked_whatever_was_followed_till_then() -> None:
    """Somebody cut off by the picture's edge is followed from the first frame on, and the client clicked on frame 8."""
    other, client = region(x=1200, side=300), region(x=500)
    follower = PoseTracker(QUICK, {8: client})
    for lane in range(2):
        follower._detectors[lane] = Finds()  # type: ignore[call-overload]
        follower._networks[lane] = Shows({other: other, client: client})  # type: ignore[call-overload]
    follower._first = other
    looked = {look.frame: look.seen for look in follower.run((n, EMPTY) for n in range(0, 24, 4))}
    places = {n: round(seen.next_region().x) if seen else None for n, seen in looked.items()}
    assert places == {0: 1200, 4: 1200, 8: 500, 12: 500, 16: 500, 20: 500}


def test_of_two_the_client_of_a_press_is_the_one_who_leans_back() -> None:
    """Whoever stands by is larger and nearer to the middle; where nobody leans back the one who is there is followed all the same."""
    client, bystander = region(x=800, turn_deg=55), region(x=640, turn_deg=-3, side=700)

    def followed(lies: TrunkTurn | None, *bodies: Region) -> int:
        follower = PoseTracker(QUICK, {}, lies=lies)
        for lane in range(2):
            follower._detectors[lane] = Finds(*bodies)  # type: ignore[call-overload]
            follower._networks[lane] = Shows({})  # type: ignore[call-overload]
        seen = follower.look_now(0, 0, np.zeros((720, 1280, 3), np.uint8)).seen
        assert seen is not None
        return round(seen.next_region().x)

    press = load_catalogue().movement("leg_press").lying_turn("side-left")
    assert press is not None and not press.throughout and press.turn == pytest.approx(np.radians(42))
    assert followed(press, bystander, client) == 800 and followed(None, bystander, client) == 640
    assert followed(press, bystander) == 640
    assert load_catalogue().movement("leg_press").lying_turn("front") is None


@pytest.mark.parametrize("clicked", [True, False])
@pytest.mark.parametrize("lies", [True, False])
def test_somebody_who_walks_past_behind_a_client_who_lies_is_not_taken_for_her(lies: bool, clicked: bool) -> None:
    """While he stands behind her hips the network sees him where it looks for her, and him alone the detector finds."""
    client, passer = region(x=500, turn_deg=85), region(x=560, y=250, turn_deg=4)
    follower = PoseTracker(QUICK, {0: client} if clicked else {}, lies=LIES if lies else None)

    def sees(*bodies: Region, wants: dict[Region, Region]) -> None:
        for lane in range(2):
            follower._detectors[lane] = Finds(*bodies)  # type: ignore[call-overload]
            follower._networks[lane] = Shows(wants)  # type: ignore[call-overload]

    def places(first: int) -> list[int | None]:
        looks = [follower.look_now(n, 4 * n, EMPTY).seen for n in range(first, first + 4)]
        return [round(seen.next_region().x) if seen else None for seen in looks]

    sees(passer, client, wants={})
    assert places(0) == [500] * 4 or not (lies or clicked)
    sees(passer, wants={client: passer})
    assert places(4) == ([None] * 4 if lies else [560] * 4)
    sees(passer, client, wants={})
    assert places(8) == ([500] * 4 if lies else [560] * 4)


def test_what_slides_off_one_who_lies_is_followed_no_further() -> None:
    """Each look is drawn a little more towards one who stands behind her; she is seen again when he has gone."""
    client, home = region(x=500, turn_deg=85), region(x=501, turn_deg=85)
    off = [region(x=500 + 60 * k, turn_deg=85 - 12 * k) for k in range(1, 5)]
    follower = PoseTracker(QUICK, {0: client}, lies=LIES)

    def seen(wants: dict[Region, Region], first: int) -> list[int | None]:
        for lane in range(2):
            follower._detectors[lane] = Finds()  # type: ignore[call-overload]
            follower._networks[lane] = Shows(wants)  # type: ignore[call-overload]
        looks = [follower.look_now(n, 4 * n, EMPTY).seen for n in range(first, first + 8)]
        return [round(one.next_region().x) if one else None for one in looks]

    assert seen({}, 0) == [500] * 8
    places = seen(dict(zip([client, *off], off, strict=False)), 8)
    assert set(places) == {560, 620}, "a little further each time, and back where she lies before it is too far"
    assert seen({r: home for r in [client, *off]}, 16)[-4:] == [501] * 4


def test_a_body_found_the_wrong_way_round_is_looked_into_as_the_client_lies() -> None:
    """The detector takes a small body's feet for the head; and one that stands there is nobody."""
    follower = PoseTracker(QUICK, {}, lies=LIES)
    for lane in range(2):
        follower._detectors[lane] = Finds(region(x=300, turn_deg=4), region(x=700, turn_deg=-80))  # type: ignore[call-overload]
        follower._networks[lane] = Shows({})  # type: ignore[call-overload]
    seen = follower.look_now(0, 0, EMPTY).seen
    assert seen is not None and round(seen.next_region().x) == 700
    assert np.degrees(seen.next_region().turn) == pytest.approx(100)


class Stands(Shows):
    """The same, with all joints in the middle of the region it asks for."""

    def look(self, picture: np.ndarray, looked: Region) -> Detection:
        seen = super().look(picture, looked)
        return replace(seen, points=np.where(np.arange(39)[:, None] < 33, seen.points[33], seen.points))


@pytest.mark.parametrize("clicked", [True, False])
@pytest.mark.parametrize("dressed_alike", [True, False])
def test_somebody_in_other_clothes_is_not_taken_for_the_client(dressed_alike: bool, clicked: bool) -> None:
    """From her sixth look on the network sees one who stands behind her; whether he is told from her, hangs on what they wear."""
    client, other = region(x=500), region(x=580)
    picture = np.zeros((720, 1280, 3), np.uint8)
    picture[:, :540], picture[:, 540:] = (200, 40, 40), (200, 40, 40) if dressed_alike else (40, 160, 60)
    follower = PoseTracker(QUICK, {0: client} if clicked else {})

    def places(wants: dict[Region, Region], first: int) -> list[int | None]:
        for lane in range(2):
            follower._detectors[lane] = Finds(client)  # type: ignore[call-overload]
            follower._networks[lane] = Stands(wants)  # type: ignore[call-overload]
        looks = [follower.look_now(n, 4 * n, picture).seen for n in range(first, first + 6)]
        return [round(one.next_region().x) if one else None for one in looks]

    assert places({}, 0) == [500] * 6
    assert places({client: other}, 6) == [580 if dressed_alike else None] * 6
    assert places({}, 12) == ([580] * 6 if dressed_alike else [500] * 6)


def test_the_client_may_look_otherwise_where_she_stays() -> None:
    """A plate comes before her legs: the colours are not hers, hips and ankles have not moved. Later all of it is known of her."""
    client, follower = region(x=500), PoseTracker(QUICK, {0: region(x=500)})
    for lane in range(2):
        follower._detectors[lane] = Finds()  # type: ignore[call-overload]
        follower._networks[lane] = Stands({})  # type: ignore[call-overload]
    for n in range(16):
        picture = np.full((720, 1280, 3), (200, 40, 40) if n < 8 else (30, 30, 30), np.uint8)
        seen = follower.look_now(n, 4 * n, picture).seen
        assert seen is not None and seen.next_region() == client


def test_a_client_in_another_light_is_not_refused_for_ever() -> None:
    """The lamps go out while the network sees nobody; afterwards she stands elsewhere and all her colours are others."""
    follower = PoseTracker(QUICK, {0: region(x=500)})

    def seen(picture: np.ndarray, presence: float, place: Region, first: int, count: int) -> list[bool]:
        for lane in range(2):
            follower._detectors[lane] = Finds(place)  # type: ignore[call-overload]
            follower._networks[lane] = Stands({region(x=500): place}, {region(x=500): presence, place: presence})  # type: ignore[call-overload]
        return [follower.look_now(n, 4 * n, picture).seen is not None for n in range(first, first + count)]

    light, dark = (np.full((720, 1280, 3), colour, np.uint8) for colour in ((200, 40, 40), (20, 20, 60)))
    assert all(seen(light, 0.9, region(x=500), 0, 8))
    assert not any(seen(dark, 0.1, region(x=900), 8, 20))
    assert all(seen(dark, 0.9, region(x=900), 28, 12)[-4:])


@pytest.mark.parametrize(("fps", "every"), [(15, 2), (24, 3), (25, 3), (30, 4), (60, 8), (240, 32)])
def test_looks_come_in_time_and_not_in_frames(fps: int, every: int) -> None:
    times = np.arange(4 * fps) / fps
    assert FINAL.every(times) == every
    assert FINAL.every(np.delete(times, [5, 6])) == every  # a film that dropped pictures
    assert FINAL.every(times[:1]) == 1


@pytest.mark.parametrize(("own_clearness", "taken"), [(0.35, 500), (0.62, 240)])
def test_a_ghost_is_given_up_for_the_client_who_walks_in_and_a_client_is_not(own_clearness: float, taken: int) -> None:
    """A bench was taken for a body, in a blur, before anybody stood in the picture; a client in the dark is clearer than that."""
    followed, other = region(x=240, side=310), region(x=500, side=480)
    follower = PoseTracker(QUICK, {})
    for lane in range(2):
        follower._detectors[lane] = Finds(other)  # type: ignore[call-overload]
        follower._networks[lane] = Shows({}, {followed: 0.7}, {followed: own_clearness, other: 0.85})  # type: ignore[call-overload]
        follower._regions[lane] = followed
    looks = list(follower.run((n, EMPTY) for n in range(GHOST_LOOKS + 3)))
    last = looks[-1].seen
    assert last is not None and round(last.next_region().x) == taken


def test_a_client_who_was_clicked_is_no_ghost_behind_the_plate_that_hides_her() -> None:
    """However much clearer somebody else in the picture is."""
    clicked, other = region(x=240, side=310), region(x=500, side=480)
    follower = PoseTracker(QUICK, {0: clicked})
    for lane in range(2):
        follower._detectors[lane] = Finds(other)  # type: ignore[call-overload]
        follower._networks[lane] = Shows({}, {clicked: 0.7}, {clicked: 0.35, other: 0.85})  # type: ignore[call-overload]
    seen = [look.seen for look in follower.run((n, EMPTY) for n in range(3 * GHOST_LOOKS))]
    assert {round(s.next_region().x) for s in seen if s is not None} == {240} and seen[-1] is not None
