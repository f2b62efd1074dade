"""Edits by the rules of the job. Each is a model with what it needs; `apply` changes a document in place.

What calls it turns the difference into a patch, and says what it made. Poses and points are in a shape's own space: as
on the frame of the motion it is attached to.
"""

from typing import Annotated

from pydantic import Field

from cravo.core.commands.base import Command, find_cut_out, find_part, find_shape
from cravo.core.commands.covers import CoverOpen
from cravo.core.commands.cut_outs import AddStroke, LockFrame, NewCutOut, PropagateCutOut, RemoveStroke
from cravo.core.commands.film import AlikeFind, CoverAlike, InShots, SameLooks
from cravo.core.commands.finds import HorizonForSky, NewFound, PickColours, TellColours
from cravo.core.commands.motions import AddTracker, Attach, Follow, GoOnFrom, NewMotion, RemoveMotion
from cravo.core.commands.people import ChoosePeople, ForgetPeople, JoinPeople, MoveFace, NamePerson
from cravo.core.commands.recipes import ApplyRecipe, Fade
from cravo.core.commands.regions import AddPart, Bring, BringMatte, NewRegion, RemovePart, RemoveRegion
from cravo.core.commands.shapes import AddPoint, ClearKeys, EaseKeys, MoveKeys, Place, RemovePoint, Reshape
from cravo.core.commands.spheres import SetSphere

AnyCommand = Annotated[
    AddPart
    | AddPoint
    | AddStroke
    | AddTracker
    | ApplyRecipe
    | Bring
    | BringMatte
    | PropagateCutOut
    | ChoosePeople
    | ClearKeys
    | CoverAlike
    | CoverOpen
    | EaseKeys
    | Fade
    | Follow
    | ForgetPeople
    | GoOnFrom
    | HorizonForSky
    | InShots
    | JoinPeople
    | LockFrame
    | MoveFace
    | MoveKeys
    | NamePerson
    | NewCutOut
    | NewFound
    | NewMotion
    | NewRegion
    | PickColours
    | Place
    | RemoveMotion
    | RemovePart
    | RemovePoint
    | RemoveRegion
    | RemoveStroke
    | Reshape
    | SameLooks
    | SetSphere
    | TellColours
    | Attach,
    Field(discriminator="do"),
]

__all__ = [
    "AddPart",
    "AddPoint",
    "AddStroke",
    "AddTracker",
    "AlikeFind",
    "AnyCommand",
    "ApplyRecipe",
    "Attach",
    "Bring",
    "BringMatte",
    "ChoosePeople",
    "ClearKeys",
    "Command",
    "CoverAlike",
    "CoverOpen",
    "EaseKeys",
    "Fade",
    "Follow",
    "ForgetPeople",
    "GoOnFrom",
    "HorizonForSky",
    "InShots",
    "JoinPeople",
    "LockFrame",
    "MoveFace",
    "MoveKeys",
    "NamePerson",
    "NewCutOut",
    "NewFound",
    "NewMotion",
    "NewRegion",
    "PickColours",
    "Place",
    "PropagateCutOut",
    "RemoveMotion",
    "RemovePart",
    "RemovePoint",
    "RemoveRegion",
    "RemoveStroke",
    "Reshape",
    "SameLooks",
    "SetSphere",
    "TellColours",
    "find_cut_out",
    "find_part",
    "find_shape",
]
