"""Changes to a document that need the rules of the job: drawing, placing, keyframes, following, riding.

Each kind of edit is a model with what it needs; `made` changes a document in place. What calls it turns the
difference into a patch. Poses and points are in the shape's own space: as on the frame of the motion it rides on.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from cravo.core.cutout.kept import key_at
from cravo.core.document import (
    POSE,
    REGION_COLOURS,
    UNASKED,
    Anchor,
    Colours,
    CombineMode,
    CutOut,
    Horizon,
    Look,
    MatteClip,
    MediumRef,
    Model,
    Motion,
    Part,
    PartBase,
    Path,
    Pick,
    PointedPart,
    Pose,
    Project,
    Region,
    ShapePart,
    Shot,
    Spot,
    Stroke,
    SubjectKind,
    Tracker,
    around,
    has_points,
    is_shape,
    new_id,
    of_model,
)
from cravo.core.errors import BadDocument
from cravo.core.geometry.transforms import Matrix, carry, inverse, is_affine, matrix_of, parts_of
from cravo.core.keyframes import (
    Ease,
    Keyed,
    KeyedOutline,
    Number,
    Outline,
    Plain,
    Point,
    as_array,
    as_points,
    changed,
    frames_of,
    outline_at,
    scaled,
    value_at,
    with_key,
    with_outline,
    without_key,
)
from cravo.core.mattes.colours import within_limits
from cravo.core.motion.ride import Carrier
from cravo.core.parts.path.drawing import placed, split
from cravo.core.parts.registry import Findable, found_part, kind_of
from cravo.core.parts.shapes import matrix_on, shape_kind
from cravo.core.recipes import Recipe, RecipeRegion, fresh

MOST_PICKS = 64  # colours of a range
AREA_POINTS = 60  # of an outline that is to be followed
Carriers = Callable[[Shot], Carrier]


class _Edit(Plain):
    """A change in one shot."""

    shot: str

    label: ClassVar[str]

    @property
    def said(self) -> str:
        """What undo says it takes back."""
        return self.label

    def made(self, project: Project, carriers: Carriers) -> None:
        """Change the document; raises BadDocument with a sentence where it does not fit."""
        raise NotImplementedError


class NewRegion(_Edit):
    """A region of one shape, drawn on a source frame or a copy, in the first colour and with the first name that is free.

    A copy that rode on a motion of another shot comes with the `matrix` that carried it where it was seen.
    """

    do: Literal["new region"] = "new region"
    frame: int
    part: Part
    matrix: list[list[float]] | None = None
    label: ClassVar[str] = "New region"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        colour = _free_colour(shot)
        names = {region.name for region in shot.regions}
        name = next(text for n in count(1) if (text := f"Region {n}") not in names)
        part = _fresh(self.part, self.frame, shot, self.matrix)
        shot.regions.append(Region(name=name, colour=colour, parts=[part]))


class RemoveRegion(_Edit):
    """Take a region away, and with it every motion that nothing rides on any more."""

    do: Literal["remove region"] = "remove region"
    region: str
    label: ClassVar[str] = "Delete region"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        gone = shot.region(self.region)
        ridden = {part.attached_to for part in gone.parts}
        shot.regions.remove(gone)
        still = {part.attached_to for region in shot.regions for part in region.parts}
        shot.motions = [motion for motion in shot.motions if motion.id not in ridden or motion.id in still]
        for motion in shot.motions:
            motion.hold_outs = [one for one in motion.hold_outs if one != self.region]


class AddPart(_Edit):
    """One more shape in a region: drawn on a frame, or a copy, as for a new region."""

    do: Literal["add part"] = "add part"
    region: str
    frame: int
    part: Part
    matrix: list[list[float]] | None = None

    @property
    def said(self) -> str:
        return f"Add {self.part.name}"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        region = shot.region(self.region)
        part = _fresh(self.part, self.frame, shot, self.matrix)
        part.name = _free_name(part.name, {one.name for one in region.parts})
        region.parts.append(part)


class NewCutOut(_Edit):
    """A cut-out from a first stroke: in a region of its own, or as one more part of a region."""

    do: Literal["new cut-out"] = "new cut-out"
    region: str | None = None
    stroke: Stroke
    sort: SubjectKind | None = None
    how: CombineMode = "add"
    label: ClassVar[str] = "New cut-out"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        part = CutOut(
            sort=self.sort, how=self.how, strokes=[_own(self.stroke)], span=(self.stroke.frame, self.stroke.frame)
        )
        _into_region(shot, self.region, part)


class BringMatte(_Edit):
    """Take the matte that a grey clip shows: in a region of its own, or as one more part of a region."""

    do: Literal["bring matte"] = "bring matte"
    region: str | None = None
    medium: MediumRef
    shift: int | None = None
    how: CombineMode = "add"
    label: ClassVar[str] = "Matte from a clip"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        shift = shot.first if self.shift is None else self.shift
        part = MatteClip(medium=self.medium.id, shift=shift, how=self.how)
        if all(ref.id != self.medium.id for ref in project.media):
            project.media.append(self.medium.model_copy(update={"path": None}))
        _into_region(shot, self.region, part)


# A few cells across each face, which turn with it.
LARGE_CELLS: dict[str, float | str] = {"measured": "across the region", "across": 5.0, "anchor": "region"}


class NewFound(_Edit):
    """The faces, the lettering or all the people of a shot, as a region of their own or as one more part of a region."""

    do: Literal["new found"] = "new found"
    what: Findable = "faces"
    region: str | None = None
    how: CombineMode = "add"
    hide: bool = False

    @property
    def said(self) -> str:
        return f"Find {self.what}"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        region = _into_region(shot, self.region, found_part(self.what, shot, self.how))
        if self.region is None:
            name = region.parts[-1].name
            region.name = _free_name(name, {one.name for one in shot.regions if one is not region})
        if self.hide and not region.inside:
            region.inside = [Look(kind="pixelate", settings=dict(LARGE_CELLS))]


CAMERA = "Camera"
INSET = 0.04  # of a picture's size, that the area which tells the camera's movement keeps from its border
LOW, SOFT_IN, SOFT_OUT = 0.45, 0.04, 0.12  # of a picture's height: where a horizon begins, and how soft it is


def camera_of(shot: Shot, width: int, height: int) -> Motion:
    """The motion of nearly the whole picture, which is the camera's; made where there is none."""
    known = next((one for one in shot.motions if one.name == CAMERA), None)
    if known is not None:
        return known
    x, y = INSET * width, INSET * height
    right, bottom = width - x, height - y
    at = (shot.first + shot.last) // 2
    motion = Motion(name=CAMERA, at=at, area=[(x, y), (right, y), (right, bottom), (x, bottom)], span=(at, at))
    shot.motions.append(motion)
    return motion


class HorizonForSky(_Edit):
    """A soft straight edge in the place of a sky that is not found; it moves with the camera, which is to be followed."""

    do: Literal["horizon for sky"] = "horizon for sky"
    part: str
    width: int = Field(ge=16, le=16384)
    height: int = Field(ge=16, le=16384)
    label: ClassVar[str] = "A horizon for the sky"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        find_cut_out(shot, self.part)
        region = next(one for one in shot.regions if any(part.id == self.part for part in one.parts))
        motion = camera_of(shot, self.width, self.height)
        edge = Horizon(
            x=self.width / 2, y=LOW * self.height, feather_in=SOFT_IN * self.height, feather_out=SOFT_OUT * self.height,
            rides_on=motion.id,
        )  # fmt: skip
        region.parts = [edge if part.id == self.part else part for part in region.parts]


class PickColours(_Edit):
    """Colours of the picture picked: for a range of their own, as one more part of a region, or for one there is."""

    do: Literal["pick colours"] = "pick colours"
    region: str | None = None
    part: str | None = None
    picks: list[Pick] = Field(min_length=1, max_length=8)
    how: CombineMode = "add"
    label: ClassVar[str] = "Pick a colour"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        if self.part is None:
            _into_region(shot, self.region, Colours(how=self.how, picks=self.picks))
            return
        part = of_model(find_part(shot, self.part), Colours)
        if part is None:
            raise BadDocument("Colours are picked for a range of colours only.")
        part.picks = [*part.picks, *self.picks][-MOST_PICKS:]
        if part.by == "limits":
            within = within_limits(part)
            for name in ("hue", "hue_reach", "saturation", "brightness"):
                setattr(part, name, getattr(within, name))


class AddStroke(_Edit):
    """Say this, or not this, once more. Only the frames that go by the stroke's frame are done anew."""

    do: Literal["add stroke"] = "add stroke"
    part: str
    stroke: Stroke

    @property
    def said(self) -> str:
        return "Stroke: this" if self.stroke.include else "Stroke: not this"

    def made(self, project: Project, carriers: Carriers) -> None:
        part = find_cut_out(project.shot(self.shot), self.part)
        if not part.strokes and not self.stroke.include and part.sort not in UNASKED:
            raise BadDocument("The first stroke says what is to be cut out.")
        frame = self.stroke.frame
        part.strokes = [*part.strokes, _own(self.stroke)]
        part.span = (min(part.span[0], frame), max(part.span[1], frame))


class RemoveStroke(_Edit):
    do: Literal["remove stroke"] = "remove stroke"
    part: str
    stroke: str
    label: ClassVar[str] = "Delete stroke"

    def made(self, project: Project, carriers: Carriers) -> None:
        part = find_cut_out(project.shot(self.shot), self.part)
        part.strokes = [one for one in part.strokes if one.id != self.stroke]


class CarryCutOut(_Edit):
    """Let a cut-out cover at least the frames of a span."""

    do: Literal["carry cut-out"] = "carry cut-out"
    part: str
    span: tuple[int, int]
    label: ClassVar[str] = "Carry cut-out"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        part = find_cut_out(shot, self.part)
        first, last = max(min(self.span), shot.first), min(max(self.span), shot.last)
        part.span = (min(first, part.span[0]), max(last, part.span[1]))


class LockFrame(_Edit):
    """Keep the matte of a frame whatever is drawn later, or let it go again."""

    do: Literal["lock frame"] = "lock frame"
    part: str
    frame: int
    on: bool = True

    @property
    def said(self) -> str:
        return "Lock frame" if self.on else "Unlock frame"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        part = find_cut_out(shot, self.part)
        locked = {frame: name for frame, name in part.locked.items() if frame != self.frame}
        name = key_at(shot, part.model_copy(update={"locked": {}}), self.frame)
        part.locked = {**locked, self.frame: name} if self.on and name else locked


def _own(stroke: Stroke) -> Stroke:
    return stroke.model_copy(update={"id": new_id()})


class _PartEdit(_Edit):
    part: str

    def found(self, project: Project) -> ShapePart:
        return find_shape(project.shot(self.shot), self.part)


class RemovePart(_PartEdit):
    do: Literal["remove part"] = "remove part"
    label: ClassVar[str] = "Remove part"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        gone = find_part(shot, self.part)
        for region in shot.regions:
            region.parts = [part for part in region.parts if part.id != gone.id]


class Place(_PartEdit):
    """Put a shape somewhere on one frame. Its neighbours blend to it; nothing is followed again.

    With `everywhere` it changes by as much on all frames, and no key is set.
    """

    do: Literal["place"] = "place"
    frame: int
    pose: Pose
    what: str = Field(default="Move shape", max_length=120)
    everywhere: bool = False

    @property
    def said(self) -> str:
        return self.what

    def made(self, project: Project, carriers: Carriers) -> None:
        part = self.found(project)
        if not self.everywhere:
            return _put(part, self.frame, self.pose)
        now = part.pose_at(self.frame)
        for name in ("rx", "ry"):
            factor = getattr(self.pose, name) / getattr(now, name)
            setattr(part, name, changed(getattr(part, name), lambda value, by=factor: value * by))  # type: ignore[misc]
        for name in ("x", "y", "rotation", "shear"):
            by = getattr(self.pose, name) - getattr(now, name)
            setattr(part, name, changed(getattr(part, name), lambda value, by=by: value + by))  # type: ignore[misc]


class Reshape(_PartEdit):
    """Set the points of a path, or the corners of a rectangle, on one frame."""

    do: Literal["reshape"] = "reshape"
    frame: int
    points: list[Point] = Field(min_length=3, max_length=2000)
    label: ClassVar[str] = "Move points"

    def made(self, project: Project, carriers: Carriers) -> None:
        part = _pointed(self.found(project))
        if len(outline_at(part.points, self.frame)) != len(self.points):
            raise BadDocument("The shape has another number of points by now. Try again.")
        part.points = with_outline(part.points, self.frame, self.points)


class AddPoint(_PartEdit):
    """One more point on a side of a path, at a share of it, on every keyframe; the form stays."""

    do: Literal["add point"] = "add point"
    side: int = Field(ge=0)
    share: float = Field(gt=0, lt=1)
    label: ClassVar[str] = "Add point"

    def made(self, project: Project, carriers: Carriers) -> None:
        part = _open_ended(self.found(project))

        def longer(points: list[Point]) -> list[Point]:
            if self.side >= len(points):
                raise BadDocument("The path has no such side any more.")
            return as_points(split(as_array(points), self.side, self.share))

        part.points = _each(part.points, longer)


class RemovePoint(_PartEdit):
    """Take a point of a path away, on every keyframe."""

    do: Literal["remove point"] = "remove point"
    points: list[int]
    label: ClassVar[str] = "Remove point"

    def made(self, project: Project, carriers: Carriers) -> None:
        part = _open_ended(self.found(project))

        def shorter(points: list[Point]) -> list[Point]:
            left = [point for index, point in enumerate(points) if index not in self.points]
            if len(left) < 3:
                raise BadDocument("A path keeps at least three points.")
            return left

        part.points = _each(part.points, shorter)


class ClearKeys(_PartEdit):
    """Take back what was set by hand on the frames of a span; the last key of a shape stays."""

    do: Literal["clear keys"] = "clear keys"
    first: int
    last: int
    label: ClassVar[str] = "Clear correction"

    def made(self, project: Project, carriers: Carriers) -> None:
        part = self.found(project)
        for frame in part.keyed_frames():
            if self.first <= frame <= self.last:
                for name in _keyable(part):
                    setattr(part, name, without_key(getattr(part, name), frame))


class MoveKeys(_PartEdit):
    """Move what was set by hand on one frame to another one, or copy it there."""

    do: Literal["move keys"] = "move keys"
    frame: int
    to: int
    copied: bool = False

    @property
    def said(self) -> str:
        return "Copy keyframe" if self.copied else "Move keyframe"

    def made(self, project: Project, carriers: Carriers) -> None:
        part = self.found(project)
        for name in _keyable(part):
            value = getattr(part, name)
            if not isinstance(value, Keyed | KeyedOutline):
                continue
            mine = next((key for key in value.keys if key.frame == self.frame), None)
            if mine is None:
                continue
            gone = {self.to} if self.copied else {self.to, self.frame}
            keys = [key for key in value.keys if key.frame not in gone] + [mine.model_copy(update={"frame": self.to})]
            value.keys = sorted(keys, key=lambda key: key.frame)  # type: ignore[assignment]


class EaseKeys(_PartEdit):
    """CombineMode the shape goes on from what was set by hand on a frame."""

    do: Literal["ease keys"] = "ease keys"
    frame: int
    ease: Ease
    label: ClassVar[str] = "Change keyframe"

    def made(self, project: Project, carriers: Carriers) -> None:
        part = self.found(project)
        for name in _keyable(part):
            value = getattr(part, name)
            for key in value.keys if isinstance(value, Keyed | KeyedOutline) else []:
                if key.frame == self.frame:
                    key.ease = self.ease


class Follow(_PartEdit):
    """Let a shape ride on a motion that covers at least the span.

    A shape that does not ride yet starts from where it lies on `frame`; a motion that there is already keeps
    its frame and what it has followed, and only reaches further.
    """

    do: Literal["follow"] = "follow"
    frame: int
    span: tuple[int, int]
    model: Model = "similarity"
    label: ClassVar[str] = "Follow"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot, part = project.shot(self.shot), self.found(project)
        first, last = max(min(self.span), shot.first), min(max(self.span), shot.last)
        motion = shot.motion(part.rides_on)
        if motion is not None:
            motion.span = (min(first, motion.span[0]), max(last, motion.span[1]))
            return
        region = next(one for one in shot.regions if part in one.parts)
        motion = Motion(
            name=f"Motion of {region.name}",
            at=self.frame,
            area=shape_kind(part).area(part, self.frame),
            model=self.model,
            span=(min(first, self.frame), max(last, self.frame)),
        )
        shot.motions.append(motion)
        part.rides_on = motion.id
        _put(part, self.frame, part.pose_at(self.frame))


class Ride(_PartEdit):
    """Let a shape ride on a motion, or on none; it keeps its place on the frame."""

    do: Literal["ride"] = "ride"
    motion: str | None
    frame: int

    @property
    def said(self) -> str:
        return "Ride on motion" if self.motion else "Leave motion"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot, part = project.shot(self.shot), self.found(project)
        _transform(part, matrix_on(shot, part, self.frame, carriers(shot)), self.frame)
        part.rides_on = None
        if self.motion is not None:
            _motion(shot, self.motion)
            part.rides_on = self.motion
            _transform(part, inverse(matrix_on(shot, part, self.frame, carriers(shot))), self.frame)


class NewMotion(_Edit):
    """A motion of its own: an area drawn on a frame, or a first tracker put there."""

    do: Literal["new motion"] = "new motion"
    frame: int
    area: list[Spot] = []
    tracker: Spot | None = None
    model: Model = "similarity"
    label: ClassVar[str] = "New motion"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        names = {motion.name for motion in shot.motions}
        name = next(text for n in count(1) if (text := f"Motion {n}") not in names)
        trackers = []
        if self.tracker is not None:
            trackers = [Tracker(name="Tracker 1", at=self.frame, x=self.tracker[0], y=self.tracker[1])]
        elif len(self.area) < 3:
            raise BadDocument("An area to follow has at least three corners.")
        span = (shot.first, shot.last)
        shot.motions.append(
            Motion(name=name, at=self.frame, area=self.area, trackers=trackers, model=self.model, span=span)
        )


class _MotionEdit(_Edit):
    motion: str


class Bring(_Edit):
    """A motion from a file, or shapes as a region of their own."""

    do: Literal["bring"] = "bring"
    motion: Motion | None = None
    shapes: list[Path] = []
    frame: int = 0
    name: str = "From a file"
    label: ClassVar[str] = "Bring in a file"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        if self.motion is not None:
            shot.motions.append(self.motion.model_copy(update={"id": new_id()}))
        if self.shapes:
            first, *others = self.shapes
            NewRegion(shot=self.shot, frame=self.frame, part=first).made(project, carriers)
            region = shot.regions[-1]
            region.name = self.name
            for part in others:
                AddPart(shot=self.shot, region=region.id, frame=self.frame, part=part).made(project, carriers)


class AddTracker(_MotionEdit):
    """One more tracker; those that there are keep what they have followed."""

    do: Literal["add tracker"] = "add tracker"
    frame: int
    spot: Spot
    label: ClassVar[str] = "Add tracker"

    def made(self, project: Project, carriers: Carriers) -> None:
        motion = _motion(project.shot(self.shot), self.motion)
        names = {one.name for one in motion.trackers}
        name = next(text for n in count(1) if (text := f"Tracker {n}") not in names)
        motion.trackers = [*motion.trackers, Tracker(name=name, at=self.frame, x=self.spot[0], y=self.spot[1])]


class RemoveMotion(_MotionEdit):
    """Take a motion away; what rode on it keeps its place on the frame."""

    do: Literal["remove motion"] = "remove motion"
    frame: int
    label: ClassVar[str] = "Delete motion"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        motion = _motion(shot, self.motion)
        for region in shot.regions:
            for part in region.parts:
                if is_shape(part) and part.rides_on == motion.id:
                    _transform(part, matrix_on(shot, part, self.frame, carriers(shot)), self.frame)
                    part.rides_on = None
        shot.motions.remove(motion)


class GoOnFrom(_PartEdit):
    """Take what was corrected by hand on a frame as where the area really is: following goes on from there."""

    do: Literal["go on from"] = "go on from"
    frame: int
    label: ClassVar[str] = "Follow from here"

    def made(self, project: Project, carriers: Carriers) -> None:
        shot, part = project.shot(self.shot), self.found(project)
        motion = _motion(shot, part.rides_on or "")
        if self.frame == motion.at or motion.trackers:
            raise BadDocument("Go to another frame than the one the motion begins on.")
        carried = matrix_on(shot, part, self.frame, carriers(shot)) @ matrix_of(part.pose_at(self.frame))
        matrix = carried @ inverse(matrix_of(part.pose_at(motion.at)))
        matrix /= matrix[2, 2]
        others = [one for one in motion.anchors if one.frame != self.frame]
        fresh = Anchor(frame=self.frame, matrix=matrix.tolist())
        motion.anchors = sorted([*others, fresh], key=lambda one: one.frame)
        for name in POSE:
            setattr(part, name, without_key(getattr(part, name), self.frame))


class ApplyRecipe(_Edit):
    """What a recipe does: its looks on the selected region, its own regions over the whole picture or around a spot.

    `width` is that of the clip, for which the recipe's shapes are scaled. Shapes around a spot ride on a motion of
    their own, which is not followed yet.
    """

    do: Literal["apply recipe"] = "apply recipe"
    frame: int
    recipe: Recipe
    region: str | None = None
    spot: Spot | None = None
    width: int = Field(default=1920, ge=16, le=16384)

    @property
    def said(self) -> str:
        return self.recipe.name

    def made(self, project: Project, carriers: Carriers) -> None:
        shot = project.shot(self.shot)
        for wanted in self.recipe.regions:
            if wanted.place == "selected" and self.region is not None:
                region = shot.region(self.region)
            elif wanted.place == "selected":
                if wanted.finds is None:
                    raise BadDocument("Select the region that the recipe is for, or draw one.")
                region = _into_region(shot, None, found_part(wanted.finds, shot, "add"))
                region.edge = wanted.edge or region.edge
                region.name = _free_name(
                    wanted.finds.capitalize(), {one.name for one in shot.regions if one is not region}
                )
            else:
                region = self._laid_out(shot, wanted)
            region.inside = [*region.inside, *map(fresh, wanted.inside)]
            region.outside = [*region.outside, *map(fresh, wanted.outside)]

    def _laid_out(self, shot: Shot, wanted: RecipeRegion) -> Region:
        """A region of the recipe's own. What covers the whole picture comes first, so that others work on its result."""
        around_spot = wanted.place == "spot"
        if around_spot and self.spot is None:
            raise BadDocument("Click the spot that the recipe is for.")
        name = _free_name(wanted.name, {region.name for region in shot.regions})
        x, y = self.spot if around_spot and self.spot is not None else (0.0, 0.0)
        scale = self.width / 1920
        move = np.array([[scale, 0, x], [0, scale, y], [0, 0, 1]])
        region = Region(name=name, colour=_free_colour(shot))
        for part in filter(is_shape, wanted.parts):
            made = part.model_copy(deep=True, update={"id": new_id()})
            _transform(made, move, self.frame)
            for feather in ("feather_in", "feather_out"):
                setattr(made, feather, scaled(getattr(made, feather), scale))
            region.parts.append(made)
        if around_spot and region.parts:
            area = around(Pose(x=x, y=y, rx=90 * scale, ry=90 * scale))
            motion = Motion(name=f"Motion of {name}", at=self.frame, area=area, span=(self.frame, self.frame))
            shot.motions.append(motion)
            for one in filter(is_shape, region.parts):
                one.rides_on = motion.id
        shot.regions.insert(len(shot.regions) if around_spot else 0, region)
        return region


class Fade(_Edit):
    """A look comes or goes over some frames from the playhead on: keys of its strength."""

    do: Literal["fade"] = "fade"
    region: str
    look: str
    way: Literal["in", "out"]
    frame: int
    length: int = Field(ge=1, le=10_000)

    @property
    def said(self) -> str:
        return f"Fade {self.way}"

    def made(self, project: Project, carriers: Carriers) -> None:
        region = project.shot(self.shot).region(self.region)
        look = next((one for one in region.inside + region.outside if one.id == self.look), None)
        if look is None:
            raise BadDocument("This look is no longer in the project.")
        end = self.frame + self.length
        # As strong as it is on the far side of the fade; what lies within it goes away.
        full = value_at(look.strength, end if self.way == "in" else self.frame) or 1.0
        strength: Number = look.strength
        for at in frames_of(strength):
            if self.frame <= at <= end:
                strength = without_key(strength, at)
        start, stop = (0.0, full) if self.way == "in" else (full, 0.0)
        look.strength = with_key(with_key(strength, self.frame, start), end, stop)


Edit = Annotated[
    NewRegion
    | PickColours
    | HorizonForSky
    | RemoveRegion
    | AddPart
    | RemovePart
    | NewCutOut
    | BringMatte
    | NewFound
    | AddStroke
    | RemoveStroke
    | CarryCutOut
    | LockFrame
    | Place
    | Reshape
    | AddPoint
    | RemovePoint
    | ClearKeys
    | MoveKeys
    | EaseKeys
    | Follow
    | Ride
    | NewMotion
    | Bring
    | AddTracker
    | RemoveMotion
    | ApplyRecipe
    | Fade
    | GoOnFrom,
    Field(discriminator="do"),
]


def find_part(shot: Shot, part_id: str) -> Part:
    for region in shot.regions:
        for part in region.parts:
            if part.id == part_id:
                return part
    raise BadDocument("This shape is no longer in the project.")


def find_shape(shot: Shot, part_id: str) -> ShapePart:
    part = find_part(shot, part_id)
    if not is_shape(part):
        raise BadDocument(kind_of(part).refusal)
    return part


def find_cut_out(shot: Shot, part_id: str) -> CutOut:
    part = of_model(find_part(shot, part_id), CutOut)
    if part is None:
        raise BadDocument("Strokes are drawn on cut-outs only.")
    return part


def _into_region(shot: Shot, region_id: str | None, part: PartBase) -> Region:
    """Put a part into a region, or into a new one of its own, which is returned."""
    if region_id is None:
        name = next(text for n in count(1) if (text := f"Region {n}") not in {one.name for one in shot.regions})
        shot.regions.append(Region(name=name, colour=_free_colour(shot), parts=[part]))
        return shot.regions[-1]
    region = shot.region(region_id)
    part.name = _free_name(part.name, {one.name for one in region.parts})
    region.parts.append(part)
    return region


def _free_name(plain: str, taken: set[str]) -> str:
    """The name, with a number behind it where it is taken."""
    return next(text for n in count(1) if (text := plain if n == 1 else f"{plain} {n}") not in taken)


def _free_colour(shot: Shot) -> int:
    used = {region.colour for region in shot.regions}
    return next((c for c in range(REGION_COLOURS) if c not in used), len(shot.regions) % REGION_COLOURS)


def _fresh(part: Part, frame: int, shot: Shot, matrix: list[list[float]] | None) -> Part:
    """A shape as it enters the document: with an id of its own, its place set by hand on the frame.

    What rode on a motion of another shot lies where `matrix` carried it.
    """
    part = part.model_copy(deep=True, update={"id": new_id()})
    if not is_shape(part):
        return part
    if part.rides_on is not None and shot.motion(part.rides_on) is None:
        if matrix is not None:
            _transform(part, np.array(matrix), frame)
        part.rides_on = None
    if not part.keyed_frames():
        _put(part, frame, part.pose_at(frame))
    return part


def _put(part: ShapePart, frame: int, pose: Pose) -> None:
    for name in POSE:
        setattr(part, name, with_key(getattr(part, name), frame, getattr(pose, name)))


def _transform(part: ShapePart, matrix: Matrix, frame: int) -> None:
    """Carry a shape by a matrix for good, with all its keys; its form on `frame` stays exact also under perspective."""
    poses = {at: part.pose_at(at) for at in part.keyed_frames() or [frame]}
    here = part.pose_at(frame)
    if not is_affine(matrix) and has_points(part):
        bent = inverse(matrix_of(carry(here, matrix))) @ matrix @ matrix_of(here)
        part.points = _each(part.points, lambda points: as_points(placed(as_array(points), bent)))
    shape_kind(part).scale(part, parts_of(matrix, (here.x, here.y))[0])
    eases = {name: {k.frame: k.ease for k in v.keys} for name in POSE if isinstance(v := getattr(part, name), Keyed)}
    keyed = bool(part.keyed_frames())
    for name in POSE:
        setattr(part, name, value_at(getattr(part, name), frame))
    for at, pose in sorted(poses.items()):
        moved = carry(pose, matrix)
        for name in POSE:
            value = getattr(moved, name)
            setattr(part, name, with_key(getattr(part, name), at, value) if keyed else value)
    for name, known in eases.items():
        for key in getattr(part, name).keys:
            key.ease = known.get(key.frame, key.ease)


def _each(outline: Outline, change: Callable[[list[Point]], list[Point]]) -> Outline:
    """The outline with a change made on each of its keys."""
    if isinstance(outline, KeyedOutline):
        keys = [key.model_copy(update={"points": change(key.points)}) for key in outline.keys]
        return KeyedOutline(keys=keys)
    return change(outline)


def _keyable(part: ShapePart) -> list[str]:
    """What is set by hand as a whole on a frame: place and form."""
    return [*POSE, "points"] if has_points(part) else list(POSE)


def _pointed(part: ShapePart) -> PointedPart:
    if not has_points(part):
        raise BadDocument("This shape has no points.")
    return part


def _open_ended(part: ShapePart) -> PointedPart:
    if not has_points(part) or not part.open_ended:
        raise BadDocument("Points can be added and taken away on a path only.")
    return part


def _motion(shot: Shot, motion_id: str) -> Motion:
    motion = shot.motion(motion_id)
    if motion is None:
        raise BadDocument("This motion is no longer in the project.")
    return motion
