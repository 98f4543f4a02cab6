"""The ``velvet-seam`` command: serve, demo, render, probe."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

from velvet_seam.core.problem import Problem

DEFAULT_FOLDER = Path(os.environ.get("VELVET_SEAM_FOLDER", "~/.velvet-seam")).expanduser()


def main(arguments: list[str] | None = None) -> int:
    """Run a command; problems end it with a sentence and exit code 2."""
    parser = argparse.ArgumentParser(
        prog="velvet-seam", description="A compositor for short social videos."
    )
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    serve = commands.add_parser("serve", help="start the application for this machine")
    demo = commands.add_parser("demo", help="the same, filled with the demo")
    for command, folder in ((serve, DEFAULT_FOLDER), (demo, Path(".demo"))):
        command.add_argument("--folder", type=Path, default=folder, help="where everything is kept")
        command.add_argument("--port", type=int, default=8421)

    render = commands.add_parser("render", help="write a shot file as MP4, or one frame as PNG")
    render.add_argument("shot", type=Path, metavar="SHOT.json")
    render.add_argument("-o", "--output", type=Path, required=True, metavar="FILE")
    render.add_argument("--scale", type=int, default=100, metavar="PERCENT", choices=range(10, 101))
    render.add_argument("--quality", choices=["small", "good", "best"], default="good")
    render.add_argument("--frame", type=int, metavar="N", help="the frame to write as PNG")

    probe = commands.add_parser("probe", help="say what a media file holds")
    probe.add_argument("file", type=Path)

    given = parser.parse_args(arguments)
    try:
        if given.command in ("serve", "demo"):
            return _serve(given.folder, given.port, filled=given.command == "demo")
        if given.command == "render":
            options = {"scale": given.scale, "quality": given.quality}
            return _render(given.shot, given.output, given.frame, options)
        return _probe(given.file)
    except Problem as problem:
        print(f"velvet-seam: {problem}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 130


def _serve(folder: Path, port: int, *, filled: bool) -> int:
    import uvicorn

    if not 1 <= port <= 65535:
        raise Problem("A port is a number from 1 to 65535.")
    if filled:
        from velvet_seam.demo.scenario import fill

        print("Velvet Seam, with the demo of the Tin Lantern", flush=True)
        fill(folder, lambda line: print(line, flush=True))
    from velvet_seam.web.app import create_app

    print(f"\n  Velvet Seam is at http://127.0.0.1:{port}\n", flush=True)
    uvicorn.run(
        create_app(folder), host="127.0.0.1", port=port, log_level="warning",
        ws_per_message_deflate=False,
    )  # fmt: skip
    return 0


def _render(shot_path: Path, output: Path, frame: int | None, options: dict[str, object]) -> int:
    from velvet_seam.core.engine.delivery import Delivery
    from velvet_seam.core.engine.render import render, render_still
    from velvet_seam.core.formats.shot_file import read_shot_file
    from velvet_seam.core.media.material import Material
    from velvet_seam.core.media.probe import probe
    from velvet_seam.core.sound.decode import Sound, decode_sound

    file = read_shot_file(shot_path)
    probes = {identity: probe(path) for identity, path in file.files.items()}
    materials = {
        identity: Material(identity, path, probes[identity], preview=False)
        for identity, path in file.files.items()
    }
    sounds: dict[str, Sound] = {}

    def sound_of(identity: str) -> Sound | None:
        if not probes[identity].has_sound:
            return None
        if identity not in sounds:
            sounds[identity] = decode_sound(file.files[identity])
        return sounds[identity]

    if not output.parent.is_dir():
        raise Problem(f"There is no folder {output.parent}.")
    if output.suffix.lower() == ".png":
        if frame is None:
            raise Problem("A PNG holds one frame: say which with --frame N.")
        render_still(file.shot, frame, output, materials.__getitem__)
        return 0
    kinds = {".mp4": "post", ".mov": "master", ".zip": "stills"}
    if output.suffix.lower() not in kinds:
        raise Problem("A render is written as .mp4, .mov or .zip (of stills), a still as .png.")
    delivery = Delivery.model_validate({"kind": kinds[output.suffix.lower()], **options})

    def each(done: int, _: object) -> None:
        if sys.stderr.isatty():
            print(f"\r{done} of {len(delivery.frames(file.shot))} frames", end="", file=sys.stderr)

    ranges = output.with_name(f".{output.name}.ranges")
    try:
        render(
            file.shot, output, materials.__getitem__, sound_of, delivery, ranges=ranges, each=each
        )
    except KeyboardInterrupt:
        print("\nStopped. The same command goes on from here.", file=sys.stderr)
        raise
    if sys.stderr.isatty():
        print(file=sys.stderr)
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
