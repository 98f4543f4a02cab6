"""The ``velvet-seam`` command: serve, demo, render, matte, probe, lineup, plate, track, passes."""

from __future__ import annotations

import argparse
import errno
import os
import shutil
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velvet_seam.core.problem import Problem

if TYPE_CHECKING:
    from velvet_seam.store.footage import FootageItem
    from velvet_seam.store.library import Library

LOOPBACK = ("127.0.0.1", "::1", "localhost")
# Seconds a connection is kept between two requests. A server that closes one soon does it, now
# and then, in the very moment in which the next request is under way on it, and that one is lost.
KEPT_OPEN = 120
DEFAULT_FOLDER = Path(os.environ.get("VELVET_SEAM_FOLDER", "~/.velvet-seam")).expanduser()


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="velvet-seam", description="A compositor for short social videos."
    )
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    serve = commands.add_parser("serve", help="start the application for this machine")
    demo = commands.add_parser("demo", help="the same, filled with the demo")
    for command, folder in ((serve, DEFAULT_FOLDER), (demo, Path(".demo"))):
        command.add_argument("--folder", type=Path, default=folder, help="where everything is kept")
        command.add_argument("--port", type=int, default=8421)
        command.add_argument(
            "--host", default="127.0.0.1", metavar="ADDRESS",
            help="the address to listen on; any but this machine's own asks visitors for a passphrase",
        )  # fmt: skip

    render = commands.add_parser("render", help="write a shot file as MP4, or one frame as PNG")
    render.add_argument("shot", type=Path, metavar="SHOT.json")
    render.add_argument("-o", "--output", type=Path, required=True, metavar="FILE")
    render.add_argument("--scale", type=int, default=100, metavar="PERCENT", choices=range(10, 101))
    render.add_argument("--quality", choices=["small", "good", "best"], default="good")
    render.add_argument("--frame", type=int, metavar="N", help="the frame to write as PNG")

    matte = commands.add_parser(
        "matte", help="write a layer's coverage and foreground as 16-bit PNG at source size"
    )
    matte.add_argument("shot", type=Path, metavar="SHOT.json")
    matte.add_argument("--layer", required=True, metavar="NAME", help="the layer's name or id")
    matte.add_argument("-o", "--output", type=Path, required=True, metavar="DIR")
    matte.add_argument(
        "--frames", metavar="A:B", help="shot frames, both included; else all it has"
    )

    probe = commands.add_parser("probe", help="say what a media file holds")
    probe.add_argument("file", type=Path)

    lineup = commands.add_parser(
        "lineup", help="say how one take lies off another, in place and in time, as JSON"
    )
    lineup.add_argument("first", type=Path, metavar="A")
    lineup.add_argument("second", type=Path, metavar="B")
    lineup.add_argument("--model", choices=["shift", "turn", "stretch", "plane"], default="turn")
    lineup.add_argument("--frame", type=int, default=0, metavar="N", help="of A")
    lineup.add_argument("--frame-of-b", type=int, default=None, metavar="N", help="else the same")
    lineup.add_argument("--time", choices=["sound", "picture"], help="compare them in time, too")

    _of_takes(commands)
    return parser


def _of_takes(commands: Any) -> None:
    """What is asked of one take."""
    plate = commands.add_parser(
        "plate", help="write what a clip shows when nobody is there as PNG, and say how sure it is"
    )
    plate.add_argument("clip", type=Path, metavar="CLIP")
    plate.add_argument("-o", "--output", type=Path, required=True, metavar="FILE.png")

    track = commands.add_parser("track", help="follow a point or a plane through a clip, as JSON")
    track.add_argument("clip", type=Path, metavar="SHOT.json|CLIP")
    track.add_argument("--layer", metavar="NAME", help="of a shot file: whose clip")
    track.add_argument("--frame", type=int, default=0, metavar="N", help="of the clip, where it is")
    track.add_argument(
        "--at", required=True, metavar="X,Y[,…]", help="a point, or the four corners of a plane, clip pixels"
    )  # fmt: skip
    track.add_argument(
        "--size", type=float, metavar="PX", help="of what is looked at around a point"
    )

    passes = commands.add_parser(
        "passes", help="find the passes of a repeated camera move in a clip, as JSON"
    )
    passes.add_argument("clip", type=Path, metavar="CLIP")
    passes.add_argument(
        "--match", action="store_true", help="and which frames of them show the same"
    )


def main(arguments: list[str] | None = None) -> int:
    """Run a command; problems end it with a sentence and exit code 2."""
    given = _parser().parse_args(arguments)
    try:
        if given.command in ("serve", "demo"):
            return _serve(given.folder, given.host, given.port, filled=given.command == "demo")
        if given.command == "render":
            options = {"scale": given.scale, "quality": given.quality}
            return _render(given.shot, given.output, given.frame, options)
        if given.command == "matte":
            return _matte(given.shot, given.layer, given.output, given.frames)
        if given.command == "lineup":
            from velvet_seam.work.take_files import compared_files

            other = given.frame if given.frame_of_b is None else given.frame_of_b
            print(
                compared_files(
                    given.first, given.second, given.model, given.frame, other, given.time
                )
            )
            return 0
        if given.command in ("plate", "track", "passes"):
            from velvet_seam.work.take_more import passes_file, plate_file, track_file

            if given.command == "passes":
                print(passes_file(given.clip, given.match))
                return 0
            print(
                plate_file(given.clip, given.output)
                if given.command == "plate"
                else track_file(
                    given.clip, given.layer, given.frame, _numbers(given.at), given.size
                )
            )
            return 0
        return _probe(given.file)
    except Problem as problem:
        print(f"velvet-seam: {problem}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 130


def _numbers(text: str) -> list[float]:
    try:
        return [float(one) for one in text.split(",")]
    except ValueError:
        raise Problem("Places are numbers with commas between, such as 320,410.") from None


def _serve(folder: Path, host: str, port: int, *, filled: bool) -> int:
    import uvicorn

    if not 1 <= port <= 65535:
        raise Problem("A port is a number from 1 to 65535.")
    _ask_for(host, port)
    os.umask(0o077)  # what is kept is its owner's alone
    from velvet_seam.work import process
    from velvet_seam.work.warming import Warming

    process.begin()
    warming = Warming()
    warming.start()
    if filled:
        from velvet_seam.demo.scenario import fill

        print("Velvet Seam, with the demo of the Tin Lantern", flush=True)
        fill(folder, lambda line: print(line, flush=True))
    else:
        from velvet_seam.demo.shelf import stock
        from velvet_seam.store.library import Library

        library = Library(folder)
        stock(library, lambda item: _poster(library, item))
    from velvet_seam.web.app import create_app
    from velvet_seam.web.limits import MOST_BYTES
    from velvet_seam.web.passphrase import new_passphrase

    passphrase = None
    if host not in LOOPBACK:
        passphrase = os.environ.get("VELVET_SEAM_PASSPHRASE") or new_passphrase()
    shown = f"[{host}]" if ":" in host else host
    print(f"\n  Velvet Seam is at http://{shown}:{port}", flush=True)
    if passphrase:
        print(f"  Others on your network are asked for the passphrase: {passphrase}", flush=True)
    print(flush=True)
    uvicorn.run(
        create_app(folder, passphrase, warming), host=host, port=port, log_level="warning",
        ws_per_message_deflate=False, ws_max_size=MOST_BYTES, timeout_keep_alive=KEPT_OPEN,
    )  # fmt: skip
    return 0


def _ask_for(host: str, port: int) -> None:
    """Before anything is made ready: whether the address can be had.

    Raises:
        Problem: somebody has it, or there is no such.
    """
    import socket

    kind = socket.AF_INET6 if ":" in host else socket.AF_INET
    try:
        with socket.socket(kind, socket.SOCK_STREAM) as tried:
            tried.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            tried.bind((host, port))
    except OSError as error:
        if error.errno == errno.EADDRINUSE:
            raise Problem(
                f"Port {port} is taken, perhaps by Velvet Seam itself: open http://{host}:{port}, or choose another port with --port."
            ) from error
        raise Problem(f"{host}:{port} cannot be had: {error.strerror or error}.") from error


def _poster(library: Library, item: FootageItem) -> None:
    """Shown at once; made ready behind whatever is brought in meanwhile."""
    from velvet_seam.work.picture_files import write_poster

    write_poster(item.path, item.probe, library.folder.poster(item.id))


def _render(shot_path: Path, output: Path, frame: int | None, options: dict[str, object]) -> int:
    from velvet_seam.core.deliveries import FORMS
    from velvet_seam.core.engine.delivery import Delivery
    from velvet_seam.core.engine.render import render, render_still
    from velvet_seam.core.formats.cube_file import read_cube
    from velvet_seam.core.formats.opened import Opened
    from velvet_seam.core.formats.shot_file import read_shot_file

    file = read_shot_file(shot_path)
    opened = Opened(file)
    cubes = {identity: read_cube(path.read_bytes())[0] for identity, path in file.tables.items()}
    if not output.parent.is_dir():
        raise Problem(f"There is no folder {output.parent}.")
    if output.suffix.lower() == ".png":
        if frame is None:
            raise Problem("A PNG holds one frame: say which with --frame N.")
        render_still(file.shot, frame, output, opened.footage, cubes.get)
        return 0
    kinds = {form.suffix: form.name for form in FORMS}
    if output.suffix.lower() not in kinds:
        known = ", ".join(kinds)
        raise Problem(f"A render is written as one of {known}, a still as .png.")
    delivery = Delivery.model_validate({"kind": kinds[output.suffix.lower()], **options})

    _film(output, len(delivery.frames(file.shot)), lambda ranges, each: render(
        file.shot, output, opened.footage, opened.sounds, delivery, ranges=ranges, tables=cubes.get, each=each,
    ))  # fmt: skip
    return 0


def _film(
    output: Path, frames: int, render: Callable[[Path, Callable[[int, object], None]], object]
) -> None:
    """Render, saying how far it is; what has been rendered stays until the film is whole."""

    def each(done: int, _: object) -> None:
        if sys.stderr.isatty():
            print(f"\r{done} of {frames} frames", end="", file=sys.stderr)

    ranges = output.with_name(f".{output.name}.ranges")
    try:
        render(ranges, each)
    except KeyboardInterrupt:
        print("\nStopped. The same command goes on from here.", file=sys.stderr)
        raise
    shutil.rmtree(ranges, ignore_errors=True)
    if sys.stderr.isatty():
        print(file=sys.stderr)


def _matte(shot_path: Path, name: str, output: Path, frames: str | None) -> int:
    from velvet_seam.core.engine.matte_files import write_mattes
    from velvet_seam.core.formats.opened import Opened
    from velvet_seam.core.formats.shot_file import read_shot_file

    file = read_shot_file(shot_path)
    found = [one for one in file.shot.layers if name in (one.id, one.name)]
    if len(found) != 1:
        known = ", ".join(one.name for one in file.shot.layers)
        why = "more than one layer is" if found else "no layer is"
        raise Problem(f"In this shot {why} called {name}. Its layers: {known}.")
    wanted = None
    if frames is not None:
        first, colon, last = frames.partition(":")
        if (
            not colon
            or not (first + last).isdigit()
            or not first
            or not last
            or int(last) < int(first)
        ):
            raise Problem("Frames are given as A:B, first and last, such as 10:40.")
        wanted = range(int(first), int(last) + 1)
    output.mkdir(parents=True, exist_ok=True)
    opened = Opened(file)

    def each(frame: int) -> None:
        if sys.stderr.isatty():
            print(f"\rframe {frame}", end="", file=sys.stderr)

    count = write_mattes(file.shot, found[0].id, output, opened.footage, wanted, each)
    print(f"{count} frames of {found[0].name} in {output}")
    return 0


def _probe(path: Path) -> int:
    from velvet_seam.core.media.probe import probe

    if not path.is_file():
        raise Problem(f"There is no file {path}.")
    found = probe(path)
    summary = found.model_dump(mode="json", exclude={"times"}) | {"frames": found.frames}
    width = max(map(len, summary))
    for name, value in summary.items():
        print(f"{name:<{width}}  {value}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
