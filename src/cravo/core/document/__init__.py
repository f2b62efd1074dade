"""The edit document: what a user wants, and nothing that was computed from it.

It serialises to readable JSON, the open project format (`.cravo.json`). Shapes, motions and areas
are in source pixels (origin top left, pixel centres at half integers) and source frame numbers of
the shot's medium, so that trimming, moving or scaling a shot never touches them.
"""

from cravo.core.document.base import FARTHEST, AnyFrame, Frame, Name, Rate, Span, digest, new_id
from cravo.core.document.items import (
    AnyItem,
    Attachment,
    Blend,
    Family,
    Gaze,
    Hex,
    Item,
    Light,
    Placing,
    Shot,
    Solid,
    SoundSpan,
    Title,
)
from cravo.core.document.motion import (
    FOLLOWER,
    MOST_GIVEN,
    Anchor,
    Area,
    Given,
    Model,
    Motion,
    Tracker,
)
from cravo.core.document.part import (
    POSE,
    CombineMode,
    FoundPart,
    PartBase,
    PointedPart,
    Pose,
    ShapePart,
    SidedPart,
    Spot,
    Steady,
    around,
    has_points,
    is_found,
    is_shape,
    of_model,
)
from cravo.core.document.parts.colours import Colours, Pick
from cravo.core.document.parts.cut_out import UNASKED, BodyPart, CutOut, Stroke, SubjectKind
from cravo.core.document.parts.ellipse import Ellipse
from cravo.core.document.parts.faces import FaceByHand, Faces, LockedFace
from cravo.core.document.parts.horizon import Horizon
from cravo.core.document.parts.lettering import Lettering
from cravo.core.document.parts.matte import MatteClip
from cravo.core.document.parts.path import Path
from cravo.core.document.parts.plates import Plates
from cravo.core.document.parts.rectangle import Rectangle
from cravo.core.document.people import Appearance, FilmPerson, People, Told, TrackKey, TrackRef
from cravo.core.document.project import (
    Accepted,
    Layer,
    MediumRef,
    Project,
    checked_project,
)
from cravo.core.document.region import REGION_COLOURS, Edge, Look, Original, Part, Region
from cravo.core.document.view import Sphere, ViewDirection

__all__ = [
    "FARTHEST",
    "FOLLOWER",
    "MOST_GIVEN",
    "POSE",
    "REGION_COLOURS",
    "UNASKED",
    "Accepted",
    "Anchor",
    "AnyFrame",
    "AnyItem",
    "Appearance",
    "Area",
    "Attachment",
    "Blend",
    "BodyPart",
    "Colours",
    "CombineMode",
    "CutOut",
    "Edge",
    "Ellipse",
    "FaceByHand",
    "Faces",
    "Family",
    "FilmPerson",
    "FoundPart",
    "Frame",
    "Gaze",
    "Given",
    "Hex",
    "Horizon",
    "Item",
    "Layer",
    "Lettering",
    "Light",
    "LockedFace",
    "Look",
    "MatteClip",
    "MediumRef",
    "Model",
    "Motion",
    "Name",
    "Original",
    "Part",
    "PartBase",
    "Path",
    "People",
    "Pick",
    "Placing",
    "Plates",
    "PointedPart",
    "Pose",
    "Project",
    "Rate",
    "Rectangle",
    "Region",
    "ShapePart",
    "Shot",
    "SidedPart",
    "Solid",
    "SoundSpan",
    "Span",
    "Sphere",
    "Spot",
    "Steady",
    "Stroke",
    "SubjectKind",
    "Title",
    "Told",
    "TrackKey",
    "TrackRef",
    "Tracker",
    "ViewDirection",
    "around",
    "checked_project",
    "digest",
    "has_points",
    "is_found",
    "is_shape",
    "new_id",
    "of_model",
]
