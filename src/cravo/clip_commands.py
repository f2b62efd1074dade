"""What the command line does with single clips and saved projects, without a server: its options, and what they lead to."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from cravo.core.errors import CravoError

if TYPE_CHECKING:
    from cravo.core.document import Stroke
    from cravo.protecting import Protection

Run = Callable[[argparse.Namespace], object]
DOUBTFUL = 3  # what a command ends with where more is in doubt than was allowed


def say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def progress(done: int, total: int) -> None:
    """One line on a terminal, rewritten; silent elsewhere."""
    if sys.stderr.isatty():
        end = "\n" if done >= total else ""
        print(f"\r  {done} of {total}", end=end, file=sys.stderr, flush=True)


class Commands:
    """The commands by name."""

    def __init__(self, parser: argparse.ArgumentParser) -> None:
        self._parsers = parser.add_subparsers(required=True, metavar="COMMAND")

    def add(self, name: str, run: Run, text: str) -> argparse.ArgumentParser:
        parser = self._parsers.add_parser(name, help=text, description=text)
        parser.set_defaults(run=run)
        return parser


def add_to(commands: Commands) -> None:
    """Offer them."""
    render = commands.add("render", _render, "Render a saved project to a file.")
    render.add_argument("project", type=Path, metavar="PROJECT.cravo.json")
    render.add_argument("out", type=Path, metavar="OUT.(mp4|mov|webm|zip|png)")
    render.add_argument(
        "--as", dest="kind", metavar="KIND", help='"webm alpha", "prores 422", "prores 4444", "tiff" and others'
    )
    render.add_argument("--from", dest="first", type=int, metavar="F")
    render.add_argument("--to", dest="last", type=int, metavar="F")
    follow = commands.add("follow", _follow, "Follow an area through a clip.")
    follow.add_argument("clip", type=Path)
    follow.add_argument("--at", type=int, required=True, metavar="FRAME")
    area = follow.add_mutually_exclusive_group(required=True)
    area.add_argument("--shape", dest="area", type=_points, metavar='"X,Y X,Y X,Y ..."')
    area.add_argument("--ellipse", dest="area", type=_ellipse, metavar='"X,Y RX,RY [DEGREES]"')
    follow.add_argument("--model", choices=["position", "similarity", "affine", "perspective"], default="similarity")
    follow.add_argument(
        "--hold-out", type=Path, metavar="MATTES/", help="mattes 000000.png ... of what is to be ignored"
    )
    _all_around(follow)
    follow.add_argument("--out", type=Path, required=True, metavar="MOTION.json")
    _limited(follow, "lost or bridged")
    cutout = commands.add("cutout", _cutout, "Cut a person or a thing out of a clip.")
    cutout.add_argument("clip", type=Path)
    _with_strokes(cutout, required=True)
    cutout.add_argument("--kind", choices=["person", "thing"], help="as it looks, where it is not said")
    cutout.add_argument("--quality", choices=["draft", "fine"], default="draft")
    _all_around(cutout)
    cutout.add_argument("--out", type=Path, required=True, metavar="MATTES/")
    _limited(cutout, "in doubt")
    fill = commands.add("fill", _fill, "Take something out of a clip: what lies behind it is put there.")
    fill.add_argument("clip", type=Path)
    fill.add_argument("--mattes", type=Path, required=True, metavar="MATTES/", help="8-bit pictures 000000.png ...")
    fill.add_argument("--grow", type=float, default=4.0, metavar="PIXELS", help="taken out around it as well (4)")
    fill.add_argument("--shadow", action="store_true", help="its shadow, too")
    fill.add_argument("--plates", type=Path, metavar="FOLDER/", help="write the backgrounds that were made as pictures")
    _all_around(fill)
    fill.add_argument("--out", type=Path, required=True, metavar="OUT.(mp4|mov|webm|zip|png)")
    _limited(fill, "in doubt")
    found = commands.add("find", _find, "Find the faces, the people, the lettering or the sky of a clip.")
    found.add_argument("what", choices=["faces", "people", "lettering", "sky"])
    found.add_argument("clip", type=Path)
    _with_strokes(found, required=False)
    _all_around(found)
    found.add_argument("--out", type=Path, required=True, metavar="FOUND.json | MATTES/")
    _limited(found, "of the sky in doubt")
    hide = commands.add(
        "protect", _protect,
        "Hide the faces of a clip, or its people, and check that nobody is open; of many clips, or of all in a folder, "
        "into another folder: what is done already is skipped, nothing is written over, and a summary is written. Ends "
        f"with 0 where all is clean, with {DOUBTFUL} where something needs a look, with 1 where something went wrong.",
    )  # fmt: skip
    hide.add_argument("clips", type=Path, nargs="+", metavar="CLIP|FOLDER")
    hide.add_argument("out", type=Path, metavar="OUT.mp4|OUT/")
    hide.add_argument("--faces", action="store_true", help="the faces; what is done where nothing is named")
    hide.add_argument("--people", action="store_true", help="whole people")
    hide.add_argument("--lettering", action="store_true", help="signs, plates, badges")
    hide.add_argument("--only-plates", action="store_true", help="number plates, and nothing else unless it is named")
    hide.add_argument("--with", dest="how", choices=["pixelate", "blur", "solid"], default="pixelate")
    hide.add_argument("--voice", type=float, default=0, metavar="SEMITONES", help="make the voice lower (-5) or higher")
    _all_around(hide)
    hide.add_argument("--report", type=Path, metavar="REPORT.(json|html)", help="of many clips each has its own")
    hide.add_argument("--jobs", type=int, default=1, metavar="N", help="clips at once (1)")
    verify = commands.add("verify", _verify, "Say whether a file is the one that a report of a proof is of.")
    verify.add_argument("report", type=Path, metavar="REPORT.(json|html)")
    verify.add_argument("file", type=Path)


def _with_strokes(command: argparse.ArgumentParser, required: bool) -> None:
    command.add_argument(
        "--at", dest="strokes", action=_Stroke, required=required, metavar="FRAME",
        help="the strokes and mattes after it are on this frame",
    )  # fmt: skip
    for option, metavar, text in (
        ("--include", '"X,Y X,Y ..."', "this"),
        ("--exclude", '"X,Y X,Y ..."', "not this"),
        ("--matte", "MATTE.png", "this, and nothing else, at the clip's size"),
    ):
        command.add_argument(option, dest="strokes", action=_Stroke, metavar=metavar, help=text)


def _all_around(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "--spherical", action="store_true", help="the clip shows all around, though its file does not say so"
    )


def _limited(command: argparse.ArgumentParser, what: str) -> None:
    command.add_argument(
        "--most-doubts",
        type=int,
        metavar="FRAMES",
        help=f"end with {DOUBTFUL} where more frames than that are {what}",
    )


def _points(text: str) -> list[tuple[float, float]]:
    try:
        pairs = [tuple(float(v) for v in pair.split(",")) for pair in text.split()]
        return [(x, y) for x, y in pairs]
    except ValueError:
        raise argparse.ArgumentTypeError("write points as X,Y X,Y X,Y") from None


def _ellipse(text: str) -> list[tuple[float, float]]:
    from cravo.core.document import Pose, around

    try:
        (x, y), (rx, ry), *turn = [[float(v) for v in part.split(",")] for part in text.split()]
        rotation = turn[0][0] if turn else 0.0
        if min(rx, ry) <= 0 or len(turn) > 1:
            raise ValueError
        return around(Pose(x=x, y=y, rx=rx, ry=ry, rotation=rotation))
    except (ValueError, IndexError):
        raise argparse.ArgumentTypeError("write an ellipse as X,Y RX,RY or X,Y RX,RY DEGREES") from None


def _judged(out: Path, doubts: int, most: int | None, what: str) -> int:
    """Say what was written, and how many frames are in doubt; the number to end with."""
    print(f"{out}: written" + (f"; {doubts} frames {what}" if doubts else ""))
    return DOUBTFUL if most is not None and doubts > most else 0


class _Stroke(argparse.Action):
    """Strokes and mattes in the order in which they are given, each with the frame named before it."""

    def __call__(self, parser, options, value, option=None):  # type: ignore[no-untyped-def]
        drawn = list(getattr(options, self.dest) or [])
        try:
            if option == "--at":
                options.at = int(value)
            elif option == "--matte":
                drawn.append((options.at, True, Path(value)))
            else:
                drawn.append((options.at, option == "--include", _points(value)))
        except AttributeError:
            raise argparse.ArgumentError(self, "name a frame with --at first") from None
        except (ValueError, argparse.ArgumentTypeError) as error:
            raise argparse.ArgumentError(self, str(error)) from None
        setattr(options, self.dest, drawn)


def _render(options: argparse.Namespace) -> None:
    from cravo.headless import render_file

    frames = render_file(options.project, options.out, options.first, options.last, say, progress, options.kind)
    print(f"{options.out}: {frames} frames")


def _follow(options: argparse.Namespace) -> int:
    from cravo.headless import follow_clip

    lost = follow_clip(
        options.clip,
        options.at,
        options.area,
        options.model,
        options.out,
        progress,
        options.hold_out,
        options.spherical,
    )
    return _judged(options.out, lost, options.most_doubts, "lost")


def _cutout(options: argparse.Namespace) -> int:
    from cravo.core.finders.models import MATTING, has_model
    from cravo.headless import cut_out_clip

    if not has_model(MATTING):
        say("The network for people is not installed: a rough one stands in, or none. Run ./cravo models.")
    fine = options.quality == "fine"
    doubts = cut_out_clip(options.clip, _strokes(options), options.kind, fine, options.out, progress, options.spherical)
    return _judged(options.out, doubts, options.most_doubts, "in doubt")


def _fill(options: argparse.Namespace) -> int:
    from cravo.filling import fill_clip

    doubts, invented = fill_clip(
        options.clip, options.mattes, options.grow, options.shadow, options.out, options.plates, say, progress,
        options.spherical,
    )  # fmt: skip
    if invented:
        say(f"  On {invented} frames no other frame shows all of what lies behind: a part is invented.")
    return _judged(options.out, doubts, options.most_doubts, "in doubt")


def _strokes(options: argparse.Namespace) -> list[Stroke]:
    from cravo.core.document import Stroke
    from cravo.headless import strokes_of_matte

    strokes: list[Stroke] = []
    for at, include, drawn in options.strokes or []:
        if isinstance(drawn, Path):
            strokes += strokes_of_matte(options.clip, at, drawn)
        else:
            strokes.append(Stroke(frame=at, include=include, points=drawn))
    return strokes


def _find(options: argparse.Namespace) -> int:
    from cravo.headless import cut_out_clip
    from cravo.protecting import find_faces, find_lettering, find_people

    if options.what != "sky" and (options.strokes or options.most_doubts is not None):
        raise CravoError("Strokes and a limit of doubt are for the sky.")
    if options.what == "faces":
        print(f"{options.out}: {find_faces(options.clip, options.out, progress, options.spherical)} faces")
    elif options.what == "lettering":
        print(f"{options.out}: {find_lettering(options.clip, options.out, progress, options.spherical)} lines")
    elif options.what == "sky":
        strokes = _strokes(options)
        doubts = cut_out_clip(options.clip, strokes, "sky", False, options.out, progress, options.spherical)
        return _judged(options.out, doubts, options.most_doubts, "in doubt")
    else:
        frames = find_people(options.clip, options.out, progress, options.spherical)
        print(f"{options.out}: people on {frames} frames")
    return 0


def _protect(options: argparse.Namespace) -> int:
    from cravo.protecting import Protection, What

    named: dict[What, bool] = {
        "faces": options.faces, "people": options.people, "lettering": options.lettering, "plates": options.only_plates,
    }  # fmt: skip
    what = frozenset(name for name, wanted in named.items() if wanted) or frozenset[What](["faces"])
    wish = Protection(what, options.how, options.voice, options.spherical)
    if len(options.clips) == 1 and options.clips[0].is_file() and options.out.suffix:
        return _protect_one(options.clips[0], options.out, wish, options.report)
    from cravo.folders import protect_many

    if options.report is not None:
        raise CravoError("Of many clips each has its own report, beside its film.")
    if options.out.is_file():
        raise CravoError(f"{options.out} is a file. Name a folder for the films.")
    ends = protect_many(options.clips, options.out, wish, max(options.jobs, 1), say)
    print(f"{options.out / 'summary.html'}: written")
    return ends


def _protect_one(clip: Path, out: Path, wish: Protection, report: Path | None) -> int:
    from cravo.protecting import protect

    made = protect(clip, out, wish, [] if report is None else [report], say, progress)
    for gap in made.proof.gaps:
        print(f"  open: frames {gap.first} to {gap.last}, a {gap.what} {2 * gap.place.rx:.0f} pixels wide")
    for remark in made.proof.remarks:
        print(f"  {remark.reason}")
    hidden = sum(one.covered for one in made.proof.people)
    print(f"{out}: {hidden} faces hidden, " + ("nothing is open" if made.clean else "look at what is open"))
    return 0 if made.clean else DOUBTFUL


def _verify(options: argparse.Namespace) -> int:
    from cravo.core.proof.report import read_report, verified

    try:
        report = read_report(options.report.read_text())
        against = verified(report, options.file)
    except (OSError, UnicodeDecodeError) as error:
        raise CravoError(f"{getattr(error, 'filename', None) or options.report} cannot be read.") from None
    if against is None:
        state = "nothing was open" if report.clean else "something was open: read the report"
        print(f"{options.file} is the file that was checked on {report.made:%Y-%m-%d %H:%M} UTC; {state}.")
        return 0
    print(against)
    return DOUBTFUL
