"""Set-up sheets: what to set for this client on this machine, from her lengths, the build solver and her last film."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from deepmirror.core.body.machine_model import MACHINES, GuidedBuild
from deepmirror.core.measures.foot_measures import CLOCK_HOUR_DEG
from deepmirror.core.uncertain_value import Value
from deepmirror.errors import BadBrief, LibraryError
from deepmirror.exchange.brief import ClientPart, check_client
from deepmirror.files import private_folder, write_whole
from deepmirror.movements.pathways import Pathway, pathways_for
from deepmirror.movements.schema import Movement
from deepmirror.movements.schools import agreed, topics_of
from deepmirror.reply.sheet import Sheet, SheetLine
from deepmirror.reply.sheet import render_sheet as render_sheet
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.posture.bodies import body_of
from deepmirror.services.posture.known_limits import film_limits, limits_of
from deepmirror.services.posture.posture_commands import FREE_SQUATS, HINGES, PostureRequest, film_setup, limit_words, solve_build
from deepmirror.store.forget import sheet_folder
from deepmirror.words import joined, say, small

ROLLER_BAND = (0.80, 0.95)  # of the way from knee to ankle; common practice, no source
PIVOT_GOOD_CM = 1.0  # a pivot this near the knee is not mentioned as off; common practice, no source
COMMON = "common practice"


def make_sheet(library: FilmLibrary, client_id: int, movement_id: str, last: Analysis | None = None) -> Sheet:
    """The sheet of one client and movement; `last` is her last film of it. Raises BadMovement, BadBrief."""
    record = library.store.client(client_id)
    movement, client = library.catalogue.movement(movement_id), check_client(record.body)
    return Sheet(
        record.name,
        movement.title,
        movement.start or "as agreed",
        library.now().strftime("%d %B %Y"),
        (*movement.setup, movement.breathing),
        (*_lines(client, movement, last), *_agreed(library, client, movement)),
        tuple(_last_time(last)) if last is not None else (),
        tuple(client.pain),
        tuple((p.title, pathway_lines(library, p)) for p in pathways_for(client.pain)),
        _names(library, movement.easier),
        _names(library, movement.harder),
        _names(library, movement.instead),
        tuple(movement.disputed),
        tuple(movement.cautions),
    )


def pathway_lines(library: FilmLibrary, pathway: Pathway) -> tuple[str, ...]:
    """The steps of a pathway in order, and what may take the place of what hurts."""
    instead = joined(", ", _names(library, pathway.instead))
    return (*pathway.steps, *([say("May take its place: {instead}.", instead=instead)] if instead else []))


def pain_words(library: FilmLibrary, pain: list[str]) -> list[str]:
    """All pathways that noted pains call for, as lines: title, then its steps."""
    return [
        line
        for p in pathways_for(pain)
        for line in (p.title, *(say("{i}. {s}", i=i, s=s) for i, s in enumerate(pathway_lines(library, p), 1)))
    ]


def write_sheet(library: FilmLibrary, client_id: int, movement_id: str, sheet: Sheet) -> Path:
    """Write the page into the client's folder of sheets, named by its movement; returns its path. Raises LibraryError."""
    library.store.must_write()
    try:
        path = private_folder(sheet_folder(library.store, client_id)) / f"{movement_id}.html"
        write_whole(path, render_sheet(sheet).encode())
        path.with_suffix(".pdf").unlink(missing_ok=True)  # of an older page
    except OSError as error:
        raise LibraryError(say("The set-up sheet could not be written: {error}.", error=error.strerror or error)) from error
    return path


def _names(library: FilmLibrary, words: list[str]) -> tuple[str, ...]:
    """Movement ids become titles; other words stay."""
    known = library.catalogue.movements
    return tuple(small(known[w].title) if w in known else w for w in words)


def _cm(low: float, high: float | None = None) -> str:
    return say("{low:.0f} cm", low=low) if high is None else say("{low:.0f} to {high:.0f} cm", low=low, high=high)


def _lines(client: ClientPart, movement: Movement, last: Analysis | None) -> list[SheetLine]:
    body = body_of(client)
    if not body.known():
        return [SheetLine("Numbers", "not known", "give the client's stature or her lengths in the Person room")]
    shank, source = body.length("shank").cm, say("shank {source}", source=body.length("shank").source)
    out = []
    if "pivot" in movement.marks:
        out.append(
            SheetLine(
                "Knee's centre",
                "level with the pivot",
                say("within {pivot_good_cm:.0f} cm is good; {common}", pivot_good_cm=PIVOT_GOOD_CM, common=COMMON),
            )
        )
    if "roller" in movement.marks:
        low, high = (share * shank for share in ROLLER_BAND)
        out.append(
            SheetLine("Roller's middle below the knee", _cm(low, high), say("80 to 95 % of the way to the ankle; {source}", source=source))
        )
    if movement.id in FREE_SQUATS or "platform" in movement.marks:
        shoulders = body.joint_breadth("biacromial")
        out.append(
            SheetLine(
                "Feet apart, middle to middle",
                say("about {cm}", cm=_cm(shoulders.cm)),
                say("shoulder joints, {source}", source=shoulders.source),
            )
        )
        out.append(SheetLine("Toes out", "0 to 30° each", say("up to one clock hour; {common}, comfort decides", common=COMMON)))
    return out + _solved(client, movement, last)


def _agreed(library: FilmLibrary, client: ClientPart, movement: Movement) -> list[SheetLine]:
    """What was agreed where schools differ, and why."""
    topics, out = library.catalogue.topics, []
    for code, schools in topics_of(movement, topics).items():
        school = agreed(client.schools, movement.id, code, schools)
        out.append(SheetLine(topics[code].title, topics[code].option(school), topics[code].options[school].reason))
    return out


def _solved(client: ClientPart, movement: Movement, last: Analysis | None) -> list[SheetLine]:
    """What the build solver says of the depth this body has, as it was lifted on the last film: its load, its shoe, its knees' opening."""
    shown = film_limits(movement, last.measured, "last film") if last is not None else None
    films = [shown] if shown is not None else []
    body, limits = body_of(client), limits_of(client, films)
    load = (last.brief.file.load_kg or 0.0) if last is not None else 0.0
    if movement.id in MACHINES:
        machine = replace(MACHINES[movement.id], load_kg=load)
        build = GuidedBuild(body, limits)
        deepest = build.deepest(machine)
        higher = build.deepest(replace(machine, foot_height_cm=machine.foot_height_cm + 8.0))
        gain = higher.posture.knee_flexion - deepest.posture.knee_flexion
        reach = say("about {knee_flexion:.0f}° of knee bend", knee_flexion=deepest.posture.knee_flexion)
        return [
            SheetLine(
                "Deepest this build has", reach, say("build solver, usual machine angles; then {limit}", limit=limit_words(deepest.binding))
            ),
            SheetLine("Feet 8 cm higher", say("{gain:+.0f}° of knee bend", gain=gain), "build solver"),
        ]
    if movement.id not in FREE_SQUATS and movement.id not in HINGES:
        return []
    try:
        setup = film_setup(last.brief.file, last.scene.plane) if last is not None else None
        opened = setup.knees_open_deg if setup is not None else 0.0
        ask = PostureRequest(movement.id, "deepest", None, client.shoe_heel_cm, opened, load)
        deepest, levers = solve_build(client, ask, films)
    except BadBrief:
        return []
    if movement.id in HINGES:
        reach = say("about {hip_flexion:.0f}° of hip bend", hip_flexion=deepest.posture.hip_flexion)
        return [SheetLine("Down to", reach, say("then {limit}; go lower set by set with a flat back", limit=limit_words(deepest.binding)))]
    thigh = deepest.posture.thigh_from_horizontal
    words = say("thigh {thigh:.0f}° {which} level", thigh=abs(thigh), which="below" if thigh < 0 else "above")
    out = [
        SheetLine(
            "Deepest this build has", words, say("build solver at {load:g} kg; then {limit}", load=load, limit=limit_words(deepest.binding))
        )
    ]
    lift = next((v for v in levers if v.change == "heel_lift_cm"), None)
    if lift is not None and lift.depth_gain_deg >= 1.0:
        out.append(
            SheetLine(
                say("Heels {by} cm higher", by=lift.by),
                say("{depth_gain_deg:+.0f}° of depth", depth_gain_deg=lift.depth_gain_deg),
                "build solver",
            )
        )
    return out


def _last_time(last: Analysis) -> list[str]:
    """What the last film measured of the set-up, and what its findings ask to change."""
    film = last.measured.film
    out = [f.change for f in last.judgement.findings]
    if "pivot_misalignment_cm" in film and "pivot_along_cm" in film:
        out.append(_pivot_words(film["pivot_misalignment_cm"], film["pivot_along_cm"], film["pivot_across_cm"]))
    for side in ("left", "right"):
        if f"foot_height_{side}_pct" in film:
            height = film[f"foot_height_{side}_pct"].value
            zone = "low" if height < 100 / 3 else "high" if height > 200 / 3 else "middle"
            turn = film[f"toe_out_{side}_deg"].value
            hours = say("{turn:.1f} clock hours", turn=turn / CLOCK_HOUR_DEG)
            out.append(
                say(
                    "The {side} foot stood in the {zone} third ({height:.0f} % up), toes {turn:.0f}° out ({hours}).",
                    side=side,
                    zone=zone,
                    height=height,
                    turn=turn,
                    hours=hours,
                )
            )
    return list(dict.fromkeys(out))


def _pivot_words(away: Value, along: Value, across: Value) -> str:
    if away.value - away.u <= PIVOT_GOOD_CM:
        return say("The knee sat {value:.1f} ± {u:.1f} cm from the pivot: keep this setting.", value=away.value, u=away.u)
    parts = []
    if abs(along.value) > along.u:
        parts.append(
            say(
                "{value:.0f} cm {which}", value=abs(along.value), which="back towards the hip" if along.value > 0 else "on towards the foot"
            )
        )
    if abs(across.value) > across.u:
        parts.append(
            say(
                "{value:.0f} cm {which} of the shin",
                value=abs(across.value),
                which="away from the front" if across.value > 0 else "to the front",
            )
        )
    return say(
        "The knee sat {value:.1f} ± {u:.1f} cm from the pivot: move it {parts}.",
        value=away.value,
        u=away.u,
        parts=joined(" and ", parts) or "towards the pivot",
    )
