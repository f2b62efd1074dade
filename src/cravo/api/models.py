"""What goes over the wire, beyond the document itself."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel as AnyModel
from pydantic import ConfigDict, Field

from cravo.core import timing
from cravo.core.behind import Purpose
from cravo.core.commands import AnyCommand
from cravo.core.document import FARTHEST, CombineMode, MediumRef, Model, Project, Rate, Shot, Stroke, SubjectKind
from cravo.core.footage.facts import Sound
from cravo.core.footage.writer import Encoding
from cravo.core.looks.kind import Group, Setting
from cravo.core.parts.registry import Findable
from cravo.core.proof.piece import Proof
from cravo.core.recipes import Recipe
from cravo.core.review import FrameState, ReviewFlag, Run
from cravo.core.scopes import Kind as ScopeKind
from cravo.core.stack.matte_files import Form
from cravo.core.stack.views import View


class BaseModel(AnyModel):
    """What goes over the wire holds numbers, not what is none."""

    model_config = ConfigDict(allow_inf_nan=False)


Number = Annotated[int, Field(ge=-(1 << 31), lt=1 << 31)]
SourceFrame = Annotated[timing.SourceFrame, Field(ge=-FARTHEST, le=FARTHEST)]
SequenceFrame = Annotated[timing.SequenceFrame, Field(ge=0, le=FARTHEST)]


class Problem(BaseModel):
    """RFC 9457 problem details; `detail` is a sentence a user understands."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str


class MediumInfo(BaseModel):
    id: str
    name: str
    bytes: int
    state: Literal["waiting", "ready", "refused"]
    problem: str | None
    added: datetime
    used: bool
    kind: Literal["clip", "still", "table"] | None = None
    width: int | None = None
    height: int | None = None
    rate: Rate | None = None
    frames: int | None = None
    seconds: float | None = None
    codec: str | None = None
    depth: int | None = None
    sound: Sound | None = None
    warnings: list[str] = []


class ProjectLine(BaseModel):
    id: UUID
    name: str
    touched: datetime
    shots: int
    regions: int
    media: list[str]


class NewProject(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    media: list[str] = []


class ShotSpan(BaseModel):
    """The frames of the piece that a shot fills."""

    shot: str
    start: int
    length: int


class ProjectState(BaseModel):
    id: str
    revision: int
    document: Project
    undo: str | None
    redo: str | None
    frames: int = Field(description="length of the piece")
    missing: list[MediumRef] = Field(default=[], description="clips that are not on the shelf any more")
    spans: list[ShotSpan]
    notes: list[str] = Field(default=[], description="what of a file that was read was left out")
    created: list[str] = Field(default=[], description="ids of what this edit made: items, regions, parts, motions")


class PatchEdit(BaseModel):
    seen: Number
    label: str = Field(min_length=1, max_length=120)
    patch: list[dict[str, Any]]


class BaseRevision(BaseModel):
    seen: Number


class RelinkRequest(BaseRevision):
    """Use the clip `to` of the shelf wherever the project uses `medium`."""

    medium: str
    to: str


class NewShot(BaseRevision):
    medium: str


class Change(BaseRevision):
    """An edit that needs the rules of the job."""

    edit: AnyCommand


class _Onwards(BaseRevision):
    """A stretch of frames from one on: a way, or a span."""

    shot: str
    frame: SourceFrame
    way: Literal["both", "forwards", "backwards", "next", "previous", "here"] = "both"
    span: tuple[SourceFrame, SourceFrame] | None = None

    def within(self, shot: Shot) -> tuple[int, int]:
        """First and last frame, inside the shot."""
        if self.span is not None:
            return max(self.span[0], shot.first), min(self.span[1], shot.last)
        frame = self.frame
        return {
            "both": (shot.first, shot.last),
            "forwards": (frame, shot.last),
            "backwards": (shot.first, frame),
            "next": (frame, min(frame + 1, shot.last)),
            "previous": (max(frame - 1, shot.first), frame),
            "here": (frame, frame),
        }[self.way]


class StrokeRequest(BaseRevision):
    """A stroke: on a cut-out, as one more part of a region, or as the first of a region of its own."""

    shot: str
    stroke: Stroke
    region: str | None = None
    part: str | None = None
    sort: SubjectKind | None = None
    how: CombineMode = "add"


class CarryRequest(_Onwards):
    """Carry a cut-out over a stretch of frames; what is there already is not done again."""

    part: str


class ProposeRequest(BaseModel):
    """What lies under the pointer, before any stroke."""

    shot: str
    frame: SourceFrame
    spot: tuple[float, float]


class Proposal(BaseModel):
    """Outlines in source pixels of what a click would cut out."""

    outlines: list[list[tuple[float, float]]]


class FindRequest(BaseModel):
    """Find what a shot shows, for a region of its own or as one more part; `hide` puts large cells on it."""

    seen: Number
    shot: str
    what: Findable = "faces"
    region: str | None = None
    how: CombineMode = "add"
    hide: bool = False


class SearchRequest(BaseModel):
    shot: str
    part: str


class LockRequest(BaseModel):
    """Keep a face as it is now, whatever is found later, or let it go again."""

    seen: Number
    shot: str
    part: str
    name: str
    on: bool


class FoundMark(BaseModel):
    """A face on a frame as it was found, and its eyes and mouth as a network sees them there now; None where it sees none."""

    name: str
    how: Literal["found", "followed", "guessed", "set"]
    sure: float
    oval: tuple[float, float, float, float, float]
    features: list[tuple[float, float]] | None


class FoundInfo(BaseModel):
    """A face or a line over a shot: source frames first..last, on how many it is guessed at, where it is seen best.

    `size` is the greatest width of a face, or height of letters, in source pixels.
    """

    name: str
    words: str
    size: float
    first: int
    last: int
    guessed: int
    best: int
    covered: bool
    locked: bool = False
    picture: str = Field(default="", description="changes when its picture does")


Arranging = Literal[
    "split", "begin", "end", "remove", "earlier", "later", "lay", "up", "down", "duplicate", "freeze", "crossfade"
]


class ArrangeRequest(BaseModel):
    """What to do with something on a layer; `frame` of the piece says where.

    With `close` what comes later on the layer moves along. `layer` is where it is laid, from the lowest on; `length` are
    the frames that it stands, or that two share.
    """

    seen: Number
    shot: str
    do: Arranging
    frame: SequenceFrame = timing.SequenceFrame(0)
    close: bool = True
    layer: int = Field(default=0, ge=0, le=1000)
    length: int = Field(default=25, ge=0, le=1_000_000)


class PutRequest(BaseModel):
    """Something new on a layer of its own: above all others, from a frame on; or `over` something, and as long as it."""

    seen: Number
    kind: Literal["title", "solid", "clip"]
    medium: str | None = None
    start: SequenceFrame = timing.SequenceFrame(0)
    text: str = Field(default="Title", max_length=4000)
    over: str | None = None


class ShotRequest(BaseModel):
    shot: str


class BehindRequest(BaseModel):
    """Set a shot up for a purpose: what is behind a region of it; `medium` is a clip of the shelf, where one is wanted."""

    seen: Number
    shot: str
    region: str
    what: Literal[Purpose, "exchange sky"]
    medium: str | None = None


class PaceRequest(BaseModel):
    """CombineMode fast a shot is shown, 1 as it was taken, and whether backwards."""

    seen: Number
    shot: str
    speed: float = Field(ge=0.1, le=10)
    backwards: bool = False


class PickRequest(BaseModel):
    """Pick the colours inside a box (left, top, right, bottom) of source pixels: for a new range, or one there is."""

    seen: Number
    shot: str
    frame: SourceFrame
    box: tuple[float, float, float, float]
    include: bool = True
    part: str | None = None
    region: str | None = None
    how: CombineMode = "add"


class FollowRequest(_Onwards):
    """Follow what a shape rides on (a new motion where it rides on none), or a motion.

    `again` forgets first what is known of the span.
    """

    part: str | None = None
    motion: str | None = None
    model: Model = "similarity"
    again: bool = False


class BringRequest(BaseRevision):
    """A file with a motion (JSON, CSV) or with shapes (SVG)."""

    shot: str
    frame: SourceFrame
    name: str = Field(max_length=300)
    text: str = Field(max_length=32 << 20)


class ClearSamples(BaseModel):
    """Forget what was followed on the frames of a span."""

    shot: str
    first: SourceFrame
    last: SourceFrame


class Trial(BaseModel):
    """A change shown but not made: what a drag looks like before it is let go."""

    patch: list[dict[str, Any]] = []
    edit: AnyCommand | None = None


class PictureRequest(BaseModel):
    frame: SequenceFrame
    width: int = Field(default=960, ge=16, le=3840)
    height: int = Field(default=540, ge=16, le=2160)
    view: View = "picture"
    region: str | None = None
    before: float = Field(default=0, ge=0, le=1, description="share of the width, from the left, shown untreated")
    aside: bool = Field(default=False, description="untreated and treated side by side, each half as large")
    plain: str = Field(default="#d94f9a", pattern="^#[0-9a-fA-F]{6}$")
    close: bool = Field(default=False, description="only the surroundings of the region, for its thumbnail")
    trial: Trial | None = None


class RegionLane(BaseModel):
    region: str
    runs: list[Run]
    doubts: list[ReviewFlag]


class OpenPoint(ReviewFlag):
    """A doubt or a gap, with where it is in the piece."""

    shot: str
    name: str
    piece_frame: int
    accepted: bool = False


class RegionCoverage(BaseModel):
    """On how many frames of its shot a region is in which state, and whether it is there to hide something."""

    shot: str
    shot_name: str
    region: str
    name: str
    piece_frame: int
    hides: bool
    frames: dict[FrameState, int]


class ProofRequest(BaseModel):
    """What to check: the piece, and a file that was exported of it as well."""

    export: UUID | None = None


class ProofInfo(BaseModel):
    """The last check; `stale` where the piece was changed since, `file` the name of the file that was checked as well."""

    made: datetime
    stale: bool
    file: str | None
    proof: Proof


class TrackerLane(BaseModel):
    """The stretches of frames, both ends included, on which it is known where a tracker is."""

    tracker: str
    known: list[tuple[int, int]]


class MotionLane(BaseModel):
    """Stretches of frames, both ends included, by what is known of them; of trackers together, and of each."""

    motion: str
    followed: list[tuple[int, int]]
    bridged: list[tuple[int, int]]
    lost: list[int]
    trackers: list[TrackerLane] = []


class Lanes(BaseModel):
    shot: str
    sources: list[int] = Field(description="the source frame that each frame of the shot's span shows")
    regions: list[RegionLane]
    motions: list[MotionLane]


class Carried(BaseModel):
    """What a motion does to shapes that ride on it, on each frame from `first` on: 3x3 matrices, row by row.

    `trackers` are the places of its trackers, in their order, where they are known.
    """

    motion: str
    first: int
    matrices: list[list[float]]
    trackers: list[list[tuple[float, float] | None]]


class WorkInfo(BaseModel):
    id: UUID
    kind: str
    label: str
    project: UUID | None
    subject: str | None
    state: Literal["waiting", "running", "done", "stopped", "failed"]
    done: int
    total: int
    rate: float | None = Field(description="units a second")
    left: float | None = Field(description="seconds")
    place: int | None = Field(default=None, description="how much comes before it, where it waits")
    project_name: str | None = None
    problem: str | None
    detail: dict[str, Any]
    created: datetime


class FollowStarted(BaseModel):
    state: ProjectState
    work: WorkInfo


class MatteWanted(BaseModel):
    """Which region's mattes are wanted, as a grey film or a zip file of pictures."""

    shot: str
    region: str
    form: Form


class NewExport(BaseModel):
    """What to write: piece frames first..last (both; the whole piece where they are not said), at a height in pixels."""

    name: str = Field(min_length=1, max_length=120)
    encoding: Encoding = Encoding()
    first: SequenceFrame = timing.SequenceFrame(0)
    last: SequenceFrame | None = None
    height: int | None = Field(default=None, ge=16, le=8192)
    rate: Rate | None = Field(default=None, description="Frames a second; those of the piece where it is not said.")
    matte: MatteWanted | None = Field(default=None, description="Mattes instead of the piece.")


class LookSetting(Setting):
    name: str


class LookKind(BaseModel):
    kind: str
    label: str
    group: Group
    about: str
    strength: float = Field(description="to begin with")
    graded: bool = Field(description="treats each colour on its own, and can become a table")
    settings: list[LookSetting]


class RecipeInfo(BaseModel):
    """A recipe to choose: one that ships with Cravo, or one that was kept."""

    id: str
    own: bool
    recipe: Recipe


class NewRecipe(BaseModel):
    """Keep what a region does on a frame; or take a recipe from a file's text."""

    project: UUID | None = None
    shot: str | None = None
    region: str | None = None
    frame: SourceFrame = timing.SourceFrame(0)
    name: str = Field(default="", max_length=120)
    text: str | None = Field(default=None, max_length=1 << 20)


class ScopeRequest(BaseModel):
    """A scope of a picture as it is shown, of the region alone where one is named."""

    picture: PictureRequest
    kind: ScopeKind
    region: str | None = None


class ValueRequest(BaseModel):
    """The pixel under the pointer, as shares of the picture's width and height."""

    picture: PictureRequest
    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)


class CurveRequest(BaseModel):
    """Points of a curve; `around` where it goes around all hues."""

    points: list[tuple[float, float]] = Field(min_length=3, max_length=64)
    around: bool = False


class CdlText(BaseModel):
    text: str = Field(max_length=1 << 20)


class Facts(BaseModel):
    """What the screens need to know of this Cravo."""

    version: str
    demo: bool
    showpiece: bool = Field(description="whether the demo of skies and layers can be made, too")
    looks: list[LookKind]
    region_colours: list[str]


class Health(BaseModel):
    """Whether the database answers, and how many lanes of workers do."""

    database: bool
    workers: int
