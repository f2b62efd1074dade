"""Motions and shapes as open data: JSON and CSV for motions, SVG with animation for shapes.

The JSON has a published schema (docs/formats/motion.schema.json), made from the models below. The SVG follows
SVG 1.1, 19.2 (animate): one value of `d` for each frame, in pixels of the clip.
"""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterable
from fractions import Fraction
from typing import Annotated, Literal
from xml.etree import ElementTree

import numpy as np
import svgelements as svg
from numpy.typing import NDArray
from pydantic import Field, ValidationError

from cravo.core.document import Area, Given, Model, Motion, Path, ShapePart, Shot, Sphere, ViewDirection
from cravo.core.errors import BadDocument
from cravo.core.geometry.sphere import Points, Wide
from cravo.core.geometry.transforms import Matrix, apply
from cravo.core.keyframes import KeyedOutline, OutlineKey, Plain, as_points
from cravo.core.misfits import misfit
from cravo.core.motion.fit import fit
from cravo.core.motion.sampling import MotionSampler
from cravo.core.motion.targets import BY_COUNT
from cravo.core.motion.track import Track, matrix_list
from cravo.core.nesting import parsed_json
from cravo.core.parts.path.drawing import placed
from cravo.core.parts.shapes import matrix_on, shape_kind

SVG = "http://www.w3.org/2000/svg"
Row = Annotated[list[float], Field(min_length=3, max_length=3)]


class MotionFrame(Plain):
    """Where a motion is on a frame; `matrix` takes source pixels of frame `at` there, pixel centres at half integers."""

    frame: int
    matrix: list[Row] = Field(min_length=3, max_length=3)
    confidence: float = Field(default=1, ge=0, le=1)
    state: Literal["followed", "lost"] = "followed"


class MotionFile(Plain):
    """A followed movement. A lost frame has the matrix of the nearest frame that is known, or a bridged one.

    On a sphere all pixels are those of the flat picture along `view`; what a matrix gives a third number below 0 is behind.
    """

    clip: str = ""
    name: str = "Motion"
    at: int
    model: Model = "similarity"
    area: Area = []
    view: ViewDirection | None = None
    frames: list[MotionFrame] = Field(min_length=1, max_length=200_000)


def motion_file(clip: str, name: str, motion: Motion, track: Track, frames: Iterable[int]) -> MotionFile:
    """A motion as it goes to a file."""
    found = []
    for frame in frames:
        sample = track.samples.get(frame)
        sure = sample is not None and sample.state == "followed"
        confidence = round(sample.confidence, 4) if sample is not None and sure else 0.0
        matrix = matrix_list(track.nearest(frame).matrix)
        found.append(
            MotionFrame(frame=frame, matrix=matrix, confidence=confidence, state="followed" if sure else "lost")
        )
    return MotionFile(
        clip=clip, name=name, at=motion.at, model=motion.model, area=motion.area, view=motion.view, frames=found
    )


def motion_table(places: dict[str, list[tuple[int, float, float]]]) -> str:
    """Points by frame as CSV: point, frame, x, y in source pixels."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(["point", "frame", "x", "y"])
    for name, known in places.items():
        table.writerows([name, frame, f"{x:.3f}", f"{y:.3f}"] for frame, x, y in known)
    return out.getvalue()


def corners_of(
    motion: Motion, track: Track, frames: Iterable[int], sphere: Sphere | None = None
) -> dict[str, list[tuple[int, float, float]]]:
    """The corners of the box around an area, where the motion takes them; on a sphere as pixels of the wide picture."""
    area = np.array(motion.area)
    (left, top), (right, bottom) = area.min(0), area.max(0)
    box = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
    found: dict[str, list[tuple[int, float, float]]] = {f"corner {i + 1}": [] for i in range(4)}
    for frame in frames:
        if track.known(frame):
            places = _placed(track.samples[frame].matrix, box, motion.view, sphere)
            for (x, y), known in zip(places.tolist(), found.values(), strict=True):
                known.append((frame, x, y))
    return found


def _placed(matrix: Matrix, points: Points, view: ViewDirection | None, sphere: Sphere | None) -> Points:
    """Where a motion takes points, in pixels of the clip."""
    if view is None or sphere is None:
        return apply(matrix, points)
    wide = Wide(sphere.width, sphere.height)
    carried = np.column_stack([points, np.ones(len(points))]) @ matrix.T
    return wide.points(np.asarray(np.linalg.solve(wide.camera(view).matrix, carried.T).T, np.float64))


def read_motion(text: str) -> Motion:
    """A motion from JSON; raises BadDocument with a sentence about the first thing that is wrong."""
    try:
        raw = parsed_json(text)
        file = MotionFile.model_validate(raw)
    except ValidationError as error:
        raise BadDocument(f"This motion file is not valid: {misfit(error.errors()[0])}.") from None
    except ValueError:
        raise BadDocument("This is not a motion: it is not JSON.") from None
    known = {one.frame: np.array(one.matrix) for one in file.frames if one.state == "followed"}
    return _given(file.name, file.at, known, list(file.area), file.model, file.view)


def read_table(text: str, name: str) -> Motion:
    """A motion from a table with columns frame, x, y, and point where there are several: one to four and more points.

    Raises
    ------
    BadDocument
        Where columns are missing, something is no number, or the points lie on one spot or line.
    """
    table = csv.DictReader(io.StringIO(text))
    if not {"frame", "x", "y"} <= set(table.fieldnames or []):
        raise BadDocument("The table needs columns named frame, x and y, and point where there are several points.")
    points: dict[str, dict[int, tuple[float, float]]] = {}
    for line, row in enumerate(table, 2):
        try:
            spot = float(row["x"]), float(row["y"])
            frame = int(row["frame"])
        except (TypeError, ValueError):
            raise BadDocument(f"Line {line} of the table holds something that is not a number.") from None
        if not all(map(math.isfinite, spot)):
            raise BadDocument(f"Line {line} of the table holds something that is not a number.")
        points.setdefault(row.get("point") or "1", {})[frame] = spot
    common = sorted(set.intersection(*(set(one) for one in points.values()))) if points else []
    if not common:
        raise BadDocument("The points of the table have no frame in common.")
    at = common[0]
    source = np.array([one[at] for one in points.values()])
    model = BY_COUNT[min(len(points), 4) - 1]
    known = {}
    for frame in common:
        try:
            known[frame] = fit(model, source, np.array([one[frame] for one in points.values()]))
        except np.linalg.LinAlgError:
            raise BadDocument(
                f"The points on frame {frame} lie on one spot or line, so no movement can be measured."
            ) from None
    area = [(x, y) for x, y in source.tolist()] if len(points) >= 3 else []
    return _given(name, at, known, area, model)


def _given(
    name: str,
    at: int,
    known: dict[int, Matrix],
    area: list[tuple[float, float]],
    model: Model,
    view: ViewDirection | None = None,
) -> Motion:
    if not known:
        raise BadDocument("The file does not say where the motion is on any frame.")
    given = []
    for frame, matrix in sorted(known.items()):
        if abs(np.linalg.det(matrix)) < 1e-12:
            raise BadDocument(
                f"The matrix of frame {frame} has no inverse: it flattens the picture to a line or a point."
            )
        # On a sphere the sign says what is ahead.
        scale = (matrix[2, 2] if view is None else abs(matrix[2, 2])) or 1.0
        given.append(Given(frame=frame, matrix=(matrix / scale).ravel().tolist()))
    try:
        return Motion(
            name=name[:120] or "Motion",
            at=at,
            area=area,
            model=model,
            given=given,
            view=view,
            span=(given[0].frame, given[-1].frame),
        )
    except ValidationError as error:
        raise BadDocument(f"This motion file is not valid: {misfit(error.errors()[0])}.") from None


def shape_svg(shot: Shot, part: ShapePart, sampler: MotionSampler, size: tuple[int, int], rate: Fraction) -> str:
    """A shape as it lies on each frame of its shot, as an SVG whose outline is animated, one step for each frame."""
    frames = range(shot.first, shot.last + 1)
    outlines = [
        _curves(placed(shape_kind(part).curves(part, frame), matrix_on(shot, part, frame, sampler))) for frame in frames
    ]
    ElementTree.register_namespace("", SVG)
    root = ElementTree.Element(
        f"{{{SVG}}}svg", {"width": str(size[0]), "height": str(size[1]), "viewBox": f"0 0 {size[0]} {size[1]}"}
    )
    path = ElementTree.SubElement(root, f"{{{SVG}}}path", {"id": part.name, "d": outlines[0]})
    seconds = float(len(frames) / rate)
    ElementTree.SubElement(
        path,
        f"{{{SVG}}}animate",
        {
            "attributeName": "d",
            "calcMode": "discrete",
            "dur": f"{seconds:.6f}s",
            "values": ";".join(outlines),
            "keyTimes": ";".join(f"{i / len(frames):.9f}" for i in range(len(frames))),
        },
    )
    return ElementTree.tostring(root, encoding="unicode", xml_declaration=True)


def _curves(outline: NDArray[np.float64]) -> str:
    here = outline[:, :2]
    after = np.roll(outline, -1, 0)
    starts, ends = here + outline[:, 4:6], after[:, :2] + after[:, 2:4]
    parts = [f"M {here[0, 0]:.3f} {here[0, 1]:.3f}"]
    for a, b, c in zip(starts.tolist(), ends.tolist(), after[:, :2].tolist(), strict=True):
        parts.append("C " + " ".join(f"{value:.3f}" for value in (*a, *b, *c)))
    return " ".join(parts) + " Z"


def read_shapes(text: str, first: int, rate: Fraction) -> list[Path]:
    """Paths from the outlines of an SVG, keyed where they are animated; frame `first` is the SVG's beginning.

    Raises
    ------
    BadDocument
        For what is no SVG, or one without outlines.
    """
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError:
        raise BadDocument("This is not an SVG file: it is not XML.") from None
    found = []
    for element in root.iter():
        kind = element.tag.rsplit("}", 1)[-1]
        if kind in ("path", "rect", "circle", "ellipse", "polygon"):
            found.append(_read_shape(element, kind, first, rate))
    if not found:
        raise BadDocument("The SVG holds no path, rectangle, circle, ellipse or polygon.")
    return found


def _read_shape(element: ElementTree.Element, kind: str, first: int, rate: Fraction) -> Path:
    makers = {"rect": svg.Rect, "circle": svg.Circle, "ellipse": svg.Ellipse, "polygon": svg.Polygon}
    try:
        still = element.get("d", "") if kind == "path" else svg.Path(makers[kind](dict(element.attrib))).d()
    except (ValueError, TypeError, KeyError):
        raise BadDocument(f"A {kind} of the SVG cannot be read.") from None
    name = (element.get("id") or "Path")[:120]
    animation = next((one for one in element if one.tag.endswith("animate") and one.get("attributeName") == "d"), None)
    if animation is None:
        outlines, frames = [_read_outline(still, name)], [first]
    else:
        outlines = [_read_outline(data, name) for data in (animation.get("values") or "").split(";") if data.strip()]
        frames = _read_frames(animation, len(outlines), first, rate)
    if len({len(outline) for outline in outlines}) != 1:
        raise BadDocument(f"{name} has another number of points from frame to frame and cannot be followed through.")
    spots = outlines[0][:, :2]
    low, high = spots.min(0), spots.max(0)
    (x, y), (rx, ry) = (low + high) / 2, np.maximum((high - low) / 2, 1.0)
    scale = np.tile([rx, ry], 3)
    shift = np.array([x, y, 0, 0, 0, 0])
    keys: list[OutlineKey] = []
    for frame, outline in sorted(zip(frames, outlines, strict=True), key=lambda pair: pair[0]):
        if not keys or keys[-1].frame != frame:
            keys.append(OutlineKey(frame=frame, points=as_points((outline - shift) / scale)))
    points = keys[0].points if animation is None else KeyedOutline(keys=keys)
    return Path(name=name, x=x, y=y, rx=rx, ry=ry, points=points, feather_in=0.0, feather_out=0.0)


def _read_frames(animation: ElementTree.Element, count: int, first: int, rate: Fraction) -> list[int]:
    try:
        seconds = float((animation.get("dur") or "").removesuffix("s"))
        times = [float(one) for one in (animation.get("keyTimes") or "").split(";") if one.strip()]
    except ValueError:
        raise BadDocument("The animation of the SVG has no readable times.") from None
    if not times:
        times = [i / max(count - 1, 1) for i in range(count)]
    if len(times) != count:
        raise BadDocument("The animation in the SVG has more or fewer times than outlines.")
    return [first + round(time * seconds * rate) for time in times]


def _read_outline(data: str, name: str) -> NDArray[np.float64]:
    """Points and handles of the first closed outline in a path's data."""
    try:
        path = svg.Path(data)
    except (ValueError, IndexError, TypeError):
        raise BadDocument(f"The outline of {name} cannot be read.") from None
    path.approximate_arcs_with_cubics()
    rows: list[list[float]] = []
    for segment in path:
        if isinstance(segment, svg.Move):
            if len(rows) > 2:
                break  # a second outline; a path of Cravo has one
            rows = [[segment.end.x, segment.end.y, 0, 0, 0, 0]]
            continue
        if isinstance(segment, svg.Close) or not rows:
            continue
        x, y, end = rows[-1][0], rows[-1][1], segment.end
        before = [0.0, 0.0]
        if isinstance(segment, svg.QuadraticBezier):
            one, other = segment.control, segment.control
            rows[-1][4:6] = [(one.x - x) * 2 / 3, (one.y - y) * 2 / 3]
            before = [(other.x - end.x) * 2 / 3, (other.y - end.y) * 2 / 3]
        elif isinstance(segment, svg.CubicBezier):
            rows[-1][4:6] = [segment.control1.x - x, segment.control1.y - y]
            before = [segment.control2.x - end.x, segment.control2.y - end.y]
        rows.append([end.x, end.y, *before, 0, 0])
    if len(rows) > 3 and math.dist(rows[0][:2], rows[-1][:2]) < 0.01:
        rows[0][2:4] = rows.pop()[2:4]
    if len(rows) < 3:
        raise BadDocument(f"{name} has fewer than three points.")
    return np.array(rows)
