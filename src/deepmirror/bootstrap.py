"""Puts the program together: the only place that chooses real adapters or stand-ins."""

from __future__ import annotations

import argparse
import os
import signal
import sys
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, NoReturn

from deepmirror.errors import BadBrief, BadMovement, DeepMirrorError, LibraryError, one_line
from deepmirror.files import private_by_default
from deepmirror.services.common.failures import describe
from deepmirror.services.common.jobs import Progress

if TYPE_CHECKING:
    from deepmirror.exchange.mailbox import Outbox
    from deepmirror.media.camera import Camera
    from deepmirror.media.sound import Microphone
    from deepmirror.services.films.film_library import FilmLibrary
    from deepmirror.services.live.floor_link import CameraChoice
    from deepmirror.services.program.arrivals import Arrivals
    from deepmirror.ui.control.floor_controller import Cameras


LONGEST_COMPLAINT = 2000
STOPPED = 130  # what a shell gives for a command that was ended by Ctrl+C


# How far work in processes apart steps back: nobody waits for a film being measured, the coach does for numbers, and the hand for both.
BEHIND_THE_WINDOW, BESIDE_THE_WINDOW = 15, 5


def ending(run: Callable[[], int]) -> int:
    """Run a command to an orderly end, whatever happens in it: what it was writing is taken back, and one line says why."""
    signal.signal(signal.SIGTERM, _stopped)
    try:
        code = run()
        sys.stdout.flush()
        return code
    except KeyboardInterrupt:
        words, code = "Stopped.", STOPPED
    except BrokenPipeError:  # whoever read the answer has gone; the interpreter must not try once more
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        words, code = "Nobody reads the answer any longer.", STOPPED
    except DeepMirrorError as error:
        words, code = error.sentence, 2
    except OSError as error:
        words, code = f"{error.filename or 'The system'}: {error.strerror or error}.", 2
    except MemoryError:
        words, code = "There is not enough memory for this.", 1
    except Exception as error:  # noqa: BLE001 - a mistake of ours, said in a line; the places in the program go with it
        stopped = _came_of_stopping(error)
        words, code = ("Stopped.", STOPPED) if stopped else (f"A mistake of the program: {describe(error)}", 1)
    fresh = "\n" if sys.stderr.isatty() else ""  # a line of progress may stand there
    with suppress(OSError):
        print(fresh + one_line(words, LONGEST_COMPLAINT), file=sys.stderr)
    return code


def _stopped(number: int, _: object) -> None:
    raise KeyboardInterrupt


def _came_of_stopping(error: BaseException | None) -> bool:
    """Whether a library made an error of its own of being stopped, as one that is being loaded does."""
    while error is not None and not isinstance(error, KeyboardInterrupt):
        error = error.__cause__ or error.__context__
    return error is not None


def leave(code: int) -> NoReturn:
    """End the process with this code. Python would end itself by the signal instead where that came in the middle of loading a module."""
    if code == STOPPED:
        with suppress(OSError):
            sys.stdout.flush()
            sys.stderr.flush()
        os._exit(code)
    sys.exit(code)


def run_batch(clip: Path, brief: Path, out: Path, reply: bool) -> int:
    """Batch analysis."""
    from deepmirror.services.program.batch import analyse

    show = sys.stderr.isatty()

    def report(share: float, words: str) -> None:
        if show:
            print(f"\r{share * 100:4.0f} %  {words:<40}", end="" if share < 1 else "\n", file=sys.stderr, flush=True)

    analyse(clip, brief, out, reply, Progress(report))
    return 0


def run_build(args: argparse.Namespace) -> int:
    """Print the build solver's answer."""
    from deepmirror.services.posture.posture_commands import PostureRequest, build_command

    depth: str | float = args.depth
    if depth not in ("parallel", "deepest"):
        depth = _number("--depth", args.depth, -40, 170)
    lift = _number("--heel-lift-cm", args.heel_lift_cm, 0, 15)
    open_deg = _number("--knees-open-deg", args.knees_open_deg, 0, 60)
    load = _number("--load-kg", args.load_kg, 0, 1000)
    height = None if args.foot_height_cm is None else _number("--foot-height-cm", args.foot_height_cm, -200, 200)
    print(build_command(args.client, PostureRequest(args.movement, depth, args.bar, lift, open_deg, load, height)))
    return 0


def run_plan(client: Path, day: str) -> int:
    """Print a client's next session."""
    from deepmirror.services.training.plan_command import plan_command

    print(plan_command(client, day))
    return 0


def run_live(film: Path, brief: Path, speed: str) -> int:
    """Feed a film like a camera; one line of JSON for each thing that happens."""
    from deepmirror.interpreter import share_the_interpreter
    from deepmirror.services.live.live_command import live_command

    share_the_interpreter()
    live_command(film, brief, _number("--speed", speed, 0, 100), lambda line: print(line, flush=True))
    return 0


def _number(name: str, value: str | float, low: float, high: float) -> float:
    try:
        number = float(value)
    except ValueError:
        raise BadBrief(f"{name} must be a number, not “{value}”.") from None
    if not low <= number <= high:
        raise BadBrief(f"{name} must lie between {low:g} and {high:g}, not {number:g}.")
    return number


def run_backup(library: Path | None, file: Path) -> int:
    """Write a library that is not open into one file."""
    from platformdirs import user_data_path

    from deepmirror.services.program.whole_copy import copy_command

    private_by_default()
    print(copy_command(library or user_data_path("deepmirror") / "library", file))
    return 0


def run_restore(file: Path, library: Path) -> int:
    """Make a library of such a file."""
    from deepmirror.services.program.whole_copy import copy_in

    private_by_default()
    print(copy_in(file, library, Progress()))
    return 0


def run_menu(remove: bool) -> int:
    """The program in the menu of the user's desktop, or out of it."""
    from deepmirror.services.program.desktop_entry import data_home, own_executable, put_into_menu, take_out_of_menu

    print(take_out_of_menu(data_home()) if remove else put_into_menu(data_home(), own_executable()))
    return 0


def run_look(args: argparse.Namespace) -> int:
    """Look at one film for a window that waits: progress as lines; stops when the window is gone."""
    from deepmirror.services.films.observation_runner import look_command

    parent = os.getppid()

    def report(share: float, words: str) -> None:
        if os.getppid() != parent:
            raise SystemExit(3)
        print(f"{share:.4f} {words}", flush=True)

    private_by_default()
    os.nice(BEHIND_THE_WINDOW)
    look_command(args.clip, args.brief, args.out, args.what, args.movements, Progress(report))
    return 0


def run_conclude() -> int:
    """Work out films' numbers for a window that asks through pipes; stops when the window is gone."""
    from deepmirror.services.films.concluding import conclude_command

    os.nice(BESIDE_THE_WINDOW)
    conclude_command()
    return 0


def run_floor() -> int:
    """Run a camera for a window that asks through pipes; ends, with its film whole, when the window does."""
    from deepmirror.services.live.floor_link import floor_command

    private_by_default()
    floor_command(open_camera)
    return 0


def open_camera(choice: CameraChoice) -> Camera:
    """The camera that was chosen. Raises NoCamera, BadFilm."""
    from deepmirror.media.camera import Turned
    from deepmirror.media.followed_film import FollowedFilm
    from deepmirror.media.video_device import VideoDevice, mode_like

    camera: Camera
    if choice.kind == "simulated":
        from deepmirror.standins.simulated_camera import SimulatedCamera

        camera = SimulatedCamera(choice.films, choice.rest_s)
    elif choice.kind == "follow":
        camera = FollowedFilm(choice.path).open()
    else:
        camera = VideoDevice(choice.path, mode_like(choice.path, choice.width, choice.height, choice.fps))
    return Turned(camera, choice.turn) if choice.turn else camera


def run_movements(library: Path | None, copy: str | None = None) -> int:
    """List the movement definitions, the coach's own included, or copy one; exit 2 with a line for each that is not right."""
    from platformdirs import user_data_path

    from deepmirror.movements.loader import copy_definition, load_catalogue

    own = (library or user_data_path("deepmirror") / "library") / "movements"
    if library is not None and not library.is_dir():
        raise LibraryError(f"There is no library folder “{library}”.")
    if copy is not None:
        print(copy_definition(copy, own))
        return 0
    catalogue = load_catalogue(own)
    for m in sorted(catalogue.movements.values(), key=lambda m: (m.family, m.title)):
        print(f"{m.id:24s} {m.title:26s} {m.family:24s} {'/'.join(m.views):12s} {len(m.fault)} faults")
    if catalogue.problems:
        raise BadMovement(f"Left out: {'; '.join(catalogue.problems)}")
    return 0


def run_window(library: Path | None, demo: bool, inbox: Path | None = None, outbox: Path | None = None) -> int:
    """Open the program on a library folder; the demo has one of its own, with a simulated post."""
    from platformdirs import user_data_path

    from deepmirror.services.program.settings import settings_of
    from deepmirror.ui.app import run

    private_by_default()
    folder = library or user_data_path("deepmirror") / ("demo" if demo else "library")
    simulated = demo and inbox is None

    def post(library: FilmLibrary) -> tuple[Outbox, Arrivals]:
        told = settings_of(library)
        where = inbox or Path(told.inbox or folder / "inbox"), outbox or Path(told.outbox or folder / "outbox")
        return post_for(library, *where, simulated)

    return run(folder, demo, post, cameras_for(folder, demo), lambda: microphones_for(demo))


def cameras_for(library: Path, demo: bool) -> Cameras:
    """What the Floor films with: what is plugged in, a folder a phone syncs into; in the demo a camera that is none."""
    from importlib import resources

    from deepmirror.media.video_device import plugged_cameras
    from deepmirror.services.live.floor_link import CameraChoice, FloorProcess
    from deepmirror.ui.control.floor_controller import Cameras, DemoSession

    films = Path(str(resources.files("deepmirror"))) / "assets" / "demo"
    synced = library / "camera"

    def at_hand() -> list[CameraChoice]:
        synced.mkdir(parents=True, exist_ok=True)
        found = [CameraChoice("device", p.name, p.path) for p in plugged_cameras()]
        return [*found, CameraChoice("follow", f"films that come into {synced}", synced), *([demo_session.camera] if demo else [])]

    played = (films / "ines_lying_curl_side.mp4", *(films / "arrivals" / "ines_lying_curl_week2.mp4",) * 2)
    camera = CameraChoice("simulated", "simulated camera", films=played, rest_s=60.0)
    demo_session = DemoSession("Ines Okonkwo", "lying_leg_curl", "side-left", "Curl bench, boat shed", camera)
    open_ = lambda choice, on_message: FloorProcess(choice, on_message, library / "movements")
    return Cameras(at_hand, open_, demo_session if demo else None)


def microphones_for(demo: bool) -> list[Microphone]:
    """What there is to speak into: what is plugged in; in the demo also a microphone that is none."""
    from deepmirror.standins.simulated_microphone import SimulatedMicrophone
    from deepmirror.ui.sound import plugged_microphones

    return [*plugged_microphones(), *([SimulatedMicrophone()] if demo else [])]


def post_for(library: FilmLibrary, inbox: Path, outbox: Path, simulated: bool) -> tuple[Outbox, Arrivals]:
    """Where replies go and films come from: plain folders, or the demo's letters by their plan."""
    from deepmirror.exchange.mailbox import FolderMailbox, FolderOutbox
    from deepmirror.services.program.arrivals import Arrivals

    if not simulated:
        return FolderOutbox(outbox), Arrivals(library, FolderMailbox(inbox))
    import time
    from importlib import resources

    from deepmirror.standins.simulated_post import SimulatedMailbox, SimulatedOutbox

    start = time.monotonic()
    plan = Path(str(resources.files("deepmirror"))) / "assets" / "demo" / "arrivals" / "plan.json"
    letters = library.store.folder / "simulated-post"
    return SimulatedOutbox(outbox), Arrivals(library, SimulatedMailbox(plan, letters, lambda: time.monotonic() - start))
