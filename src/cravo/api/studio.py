"""What the routers share: stores, open plans, and encoded pictures that were asked for before."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from threading import Lock
from typing import Annotated
from uuid import UUID

import cv2
import numpy as np
from cachetools import LRUCache
from fastapi import Depends, Response
from starlette.requests import HTTPConnection

from cravo.api.drafts import Drafts
from cravo.api.models.lanes import RegionLane
from cravo.api.models.pictures import PictureRequest, Trial
from cravo.api.models.projects import ProjectState, ShotSpan
from cravo.api.models.work import WorkInfo
from cravo.api.opened import Opened
from cravo.core.commands import Command
from cravo.core.document import MediumRef, Project, Region, Shot, Sphere, ViewDirection
from cravo.core.errors import CravoError, MissingFootage
from cravo.core.footage.picture import Box, Picture
from cravo.core.footage.reader import Reader
from cravo.core.geometry.sphere import Camera, looking
from cravo.core.mattes.matte import Matte
from cravo.core.motion.sampling import sampler_of
from cravo.core.parts.around import seen
from cravo.core.stack.around import flat
from cravo.core.stack.plan import Plan
from cravo.core.stack.views import Pixels, beside, over_chequer, shown, side_by_side
from cravo.core.timing import SequenceFrame
from cravo.core.validation import validated
from cravo.demo.make import SCENES, clips_in
from cravo.jobs.proof import checkable
from cravo.jobs.queue import start
from cravo.jobs.stage import Stores
from cravo.showpiece import CLIPS
from cravo.store.database import Row
from cravo.store.patches import Patch
from cravo.store.projects import State, patched

PLANS = 10  # held open: more windows than that look at other films than the last ones
FRAMES = 3  # pictures kept before they are coded
PICTURES = 256 << 20  # bytes of encoded pictures kept
QUALITY = 93
CLOSE_WIDTH = 128
AROUND = 1.7  # of what is shown, that its thumbnail shows
THUMBNAIL = 96  # pixels of one
THUMBNAILS = 2000  # kept
LANES = 500  # of regions, kept
STEP = 320  # pixels by which the wide picture grows that a flat one is taken of
UNTOLD = "report", "parts", "finds"  # of work: they are long, and asked for where they are needed
PACED = 1.0  # seconds of work after which it is told how long it still takes


class Studio:
    """One for each API process."""

    def __init__(self, stores: Stores) -> None:
        self.stores = stores
        self._plans: Opened[str, Plan] = Opened(PLANS)
        self._pictures: LRUCache[tuple[object, ...], bytes] = LRUCache(PICTURES, len)
        self._frames: LRUCache[tuple[object, ...], Picture] = LRUCache(FRAMES)
        self._lanes: LRUCache[tuple[object, ...], RegionLane] = LRUCache(LANES)
        self._turns: dict[tuple[object, ...], Lock] = {}
        self._thumbnails: LRUCache[tuple[object, ...], bytes] = LRUCache(THUMBNAILS)
        self._thumbnail_reader: tuple[str, Reader] | None = None
        self._thumbnailer = Lock()
        self._lock = Lock()
        self.drafts = Drafts(stores)

    @property
    def demo_clips(self) -> list[tuple[Path, str]]:
        """The demo's clips where they were drawn, with the names they get on the shelf."""
        clips = clips_in(self.stores.folder / "demo")
        return [(path, f"{SCENES[name].title}.mp4") for name, path in clips.items() if path.is_file()]

    @property
    def shows_layers(self) -> bool:
        """Whether all clips of the demo of skies and layers were drawn."""
        return set(CLIPS) <= {path.stem for path, _ in self.demo_clips}

    def plan(self, state: State) -> Plan:
        """The plan of this state of a project, over the clips that its plans hold open."""
        with self._lock:
            known = self._plans.get(state.id)
            if known is None:
                known = Plan(state.document, self.stores.media.get, self.stores.results)
            self._plans[state.id] = plan = known.beside(state.document)
            return plan

    def newest_plan(self, project: str) -> Plan | None:
        """The plan that was made last of a project, while it is open."""
        with self._lock:
            return self._plans.get(project)

    def forget(self, project: str) -> None:
        with self._lock:
            plan = self._plans.pop(project, None)
            for key in [key for key in self._pictures if key[0] == project]:
                del self._pictures[key]
            self._frames.clear()
        if plan:
            plan.close()

    def state(self, project: str) -> State:
        return self.stores.projects.get(project)

    def change(self, project: str, seen: int, label: str, change: Callable[[Project], Project]) -> State:
        """Make an edit; work on what is gone by it is stopped."""
        state = self.stores.projects.change(project, seen, label, change)
        self._stop_on_gone(state)
        return state

    def command(self, project: UUID, seen: int, command: Command) -> State:
        """Make an edit by the rules of the job."""

        def change(document: Project) -> Project:
            command.apply(document, lambda shot: sampler_of(shot, self.stores.results.track))
            return document

        return self.change(str(project), seen, command.label, change)

    def patch(self, project: str, seen: int, label: str, patch: Patch) -> State:
        """The same of an edit that a window made."""
        state = self.stores.projects.patch(project, seen, label, patch)
        self._stop_on_gone(state)
        return state

    def stepped(self, state: State) -> State:
        """After a step back or forth: work on what went is stopped, on what came back begun again."""
        self._stop_on_gone(state)
        for subject in state.outcome.created:
            row = self.stores.work.last_on(subject)
            if row is not None and row["stop_wanted"] and row["detail"].get("removed"):
                detail = {name: value for name, value in row["detail"].items() if name not in ("removed", "waits_for")}
                start(self.stores, row["kind"], row["label"], state.id, row["subject"], **detail)
        return state

    def _stop_on_gone(self, state: State) -> None:
        if state.outcome.gone:
            self.stores.work.stop_on(*state.outcome.gone, removed=True)

    def seen(self, state: State) -> ProjectState:
        """A state as a window gets it."""
        plan = self.plan(state)
        missing = self.missing(state.document)
        gone = {ref.id for ref in missing}
        spans = {
            shot.id: plan.span(shot) for shot in state.document.shots() if shot.medium not in gone
        }  # fmt: skip
        return ProjectState(
            id=state.id,
            revision=state.revision,
            document=state.document,
            undo=state.undo,
            redo=state.redo,
            frames=plan.frames,
            spans=[ShotSpan(shot=shot, start=span.start, length=len(span)) for shot, span in spans.items() if span],
            missing=missing,
            created=state.outcome.created,
        )

    def missing(self, document: Project) -> list[MediumRef]:
        """Clips that the shots of a project use and that cannot be used: gone, refused, or not read yet."""
        names = {ref.id: ref for ref in document.media}
        gone = []
        for medium in dict.fromkeys(shot.medium for shot in document.shots()):
            try:
                self.stores.media.get(medium)
            except MissingFootage:
                gone.append(names.get(medium, MediumRef(id=medium, name="A clip")))
        return gone

    def picture(self, project: str, wanted: PictureRequest) -> bytes:
        """One frame as JPEG; from memory where nothing that affects it has changed."""
        state = self.state(project)
        self._settle(state, wanted.frame)
        key = (project, state.revision, self._stamps(state.document), wanted.model_dump_json())
        with self._lock:
            known = self._pictures.get(key)
        if wanted.trial is None and known is not None:
            return known
        jpeg = encode(*self._rendered(state, wanted), wanted)
        if wanted.trial is not None:
            return jpeg
        with self._lock:
            self._pictures[key] = jpeg
        return jpeg

    def thumbnail(self, medium: str, frame: int, middle: tuple[float, float], size: tuple[float, float]) -> bytes:
        """A small picture of a place on a source frame; made once, and never in the way of other pictures."""
        key = (medium, frame, tuple(round(v) for v in (*middle, *size)))
        with self._lock:
            known = self._thumbnails.get(key)
        if known is None:
            clip = self.stores.media.get(medium)
            with self._thumbnailer:
                if self._thumbnail_reader is None or self._thumbnail_reader[0] != medium:
                    if self._thumbnail_reader is not None:
                        self._thumbnail_reader[1].close()
                    self._thumbnail_reader = medium, Reader(clip.path, clip.facts, 1)
                picture = self._thumbnail_reader[1].read(frame)
            small = around(picture, middle, (AROUND * size[0], AROUND * size[1]), THUMBNAIL)
            known = cv2.imencode(".jpg", small[:, :, ::-1])[1].tobytes()
            with self._lock:
                self._thumbnails[key] = known
        return known

    def rendered(self, project: str, wanted: PictureRequest) -> tuple[Plan, Picture]:
        """One frame before it is coded, and the plan it is of; the last few are kept, which scopes look at again."""
        state = self.state(project)
        self._settle(state, wanted.frame)
        return self._rendered(state, wanted)

    def _rendered(self, state: State, wanted: PictureRequest) -> tuple[Plan, Picture]:
        plan = self.plan(state) if wanted.trial is None else self._tried(state, wanted.trial)
        same = wanted.model_copy(update={"view": "picture", "region": None, "close": False})
        turns = wanted.around is not None and not wanted.aside and wanted.before in (0, 1)
        if wanted.around is not None and turns:  # the wide picture stays the same
            same.around = wanted.around.model_copy(update={"yaw": 0.0, "pitch": 0.0})
        key = (state.id, state.revision, self._stamps(state.document), same.model_dump_json())
        with self._lock:
            turn = self._turns.setdefault(key, Lock())
        # A picture and its scopes are asked for at the same time: the first one renders, the others wait for it.
        with turn:
            with self._lock:
                picture = self._frames.get(key)
            if picture is None:
                picture = all_around(plan, wanted, wanted.before < 1) if turns else finished(plan, wanted)
            with self._lock:
                self._frames[key] = picture
                self._turns.pop(key, None)
        return plan, seen_from(picture, wanted) if turns else picture

    def _stamps(self, document: Project) -> tuple[object, ...]:
        stamps = self.stores.results.stamps
        motions = [stamps(shot, motion) for shot in document.shots() for motion in shot.motions]
        parts = [
            stamps(shot, part) for shot in document.shots() for region in shot.regions for part in region.parts
        ]  # fmt: skip
        filled = [
            self.stores.results.fill_stamps(shot, region) for shot in document.shots() for region in shot.regions
        ]  # fmt: skip
        return (*motions, *parts, *filled)

    def lane(self, shot: Shot, region: Region, more: tuple[object, ...], make: Callable[[], RegionLane]) -> RegionLane:
        """What is known of a region over its shot, from memory where nothing that affects it has changed."""
        stamps = self.stores.results.stamps
        made_of = (*(stamps(shot, motion) for motion in shot.motions), *(stamps(shot, part) for part in region.parts))
        around = shot.model_dump_json(exclude={"regions", "name", "start", "place", "sounds"})
        filled = self.stores.results.fill_stamps(shot, region)
        key = (region.model_dump_json(), around, made_of, filled, *more)
        with self._lock:
            known = self._lanes.get(key)
        if known is None:
            known = make()
            with self._lock:
                self._lanes[key] = known
        return known

    def _settle(self, state: State, frame: SequenceFrame) -> None:
        """Wait for what is being drawn at once of the shots of a frame."""
        for shot, at in self.plan(state).shots_at(frame) if self.drafts.drawing else ():
            for region in shot.regions:
                for part in region.parts:
                    self.drafts.settle(shot, part, at)

    def _tried(self, state: State, trial: Trial) -> Plan:
        """The open plan's files with a document that is only tried out."""
        document = (
            validated(patched(state.document, trial.patch)) if trial.patch else state.document.model_copy(deep=True)
        )
        plan = self.plan(state)
        if trial.edit is not None:
            trial.edit.apply(document, plan.shots.sampler)
        return plan.beside(document)


def finished(plan: Plan, wanted: PictureRequest) -> Picture:
    """A frame of a plan as it is shown: treated, untreated, or one beside the other."""
    size = (wanted.width & ~1, wanted.height & ~1)

    def seen_as(treated: bool) -> Picture:
        if wanted.around is None:
            return plan.frame(wanted.frame, size, treated=treated)
        return seen_from(all_around(plan, wanted, treated), wanted)

    picture = seen_as(wanted.before < 1)
    if wanted.aside:
        return side_by_side(seen_as(False), picture)
    if 0 < wanted.before < 1:
        picture = beside(seen_as(False), picture, wanted.before)
    return picture


def all_around(plan: Plan, wanted: PictureRequest, treated: bool) -> Picture:
    """The wide picture of a spherical film, or of the spherical shot at a frame, no larger than is seen of it."""
    found = plan.shot_at(SequenceFrame(wanted.frame))
    sphere = None if found is None else found[0].sphere
    if found is None or sphere is None:
        raise CravoError("There is nothing to look around in: the shot here is not spherical.")
    (shot, at), size = found, _wide(wanted, sphere)
    if plan.spherical:  # with all that lies on it
        return plan.frame(SequenceFrame(wanted.frame), size, treated)
    source = plan.shots.source(shot.model_copy(update={"gaze": None}), at, size)
    return plan.shots.treated(shot, at, source) if treated else source


def seen_from(wide: Picture, wanted: PictureRequest) -> Picture:
    """A flat picture of it, as it is asked for."""
    return flat(wide, _camera(wanted), wanted.width & ~1, wanted.height & ~1)


def encode(plan: Plan, picture: Picture, wanted: PictureRequest) -> bytes:
    """A frame as JPEG, with a region's matte shown as wanted."""
    found = matte_shown(plan, wanted, wanted.region, picture) if wanted.view != "picture" else None
    if found is None:
        pixels = over_chequer(picture)
    else:
        region, matte = found
        whole = matte.whole(picture.width, picture.height)
        pixels = shown(picture, whole, wanted.view, region.colour, wanted.plain)
        if wanted.close:
            pixels = _close(pixels, matte.box)
    return cv2.imencode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, QUALITY])[1].tobytes()


def matte_shown(
    plan: Plan, wanted: PictureRequest, region_id: str | None, picture: Picture
) -> tuple[Region, Matte] | None:
    """A region of the shot that a frame shows, with its matte as the picture shows it; None where it is not there."""
    found = plan.shot_at(SequenceFrame(wanted.frame))
    region = next((one for one in found[0].regions if one.id == region_id), None) if found else None
    if found is None or region is None:
        return None
    shot, at = found
    if wanted.around is None or shot.sphere is None:
        return region, plan.shots.matte_shown(
            shot, region, at, wanted.frame - shot.start, picture.width, picture.height
        )
    size = _wide(wanted, shot.sphere)
    matte = plan.shots.matte(shot, region, at, *size)
    values = seen(matte.whole(*size), _camera(wanted), picture.width, picture.height)
    box = Box(*cv2.boundingRect((values > 0.004).astype(np.uint8)))
    box = Box(box.left, box.top, box.left + box.right, box.top + box.bottom)
    return region, Matte(box, values[box.top : box.bottom, box.left : box.right])


def _camera(wanted: PictureRequest) -> Camera:
    assert wanted.around is not None
    at = wanted.around
    view = ViewDirection(yaw=at.yaw, pitch=at.pitch)
    return looking(view, at.field, wanted.width & ~1, wanted.height & ~1)


def _wide(wanted: PictureRequest, sphere: Sphere) -> tuple[int, int]:
    """The size of the wide picture that has as many pixels as a flat one shows of it, in steps; the clip's at most."""
    wide = min(round(math.tau * _camera(wanted).focal / STEP + 0.5) * STEP, sphere.width & ~1)
    return wide, wide // 2


def _close(pixels: Pixels, box: Box) -> Pixels:
    """The surroundings of a box in the shape of the whole picture."""
    height, width = pixels.shape[:2]
    if box.empty:
        return pixels
    share = min(max(box.width / width, box.height / height) * 1.15, 1.0)
    w, h = round(width * share), round(height * share)
    left = min(max((box.left + box.right - w) // 2, 0), width - w)
    top = min(max((box.top + box.bottom - h) // 2, 0), height - h)
    cut = pixels[top : top + h, left : left + w]
    return cv2.resize(cut, (CLOSE_WIDTH, CLOSE_WIDTH * height // width), interpolation=cv2.INTER_AREA)


def around(picture: Picture, middle: tuple[float, float], size: tuple[float, float], wide: int) -> Pixels:
    """A part of a picture around a place, (height, `wide`, 3) in RGB; beyond its border the border goes on."""
    scale = wide / max(size)
    tall = max(round(size[1] * scale), 24)
    (x, y), across, down = middle, wide / 2 / scale + 4, tall / 2 / scale + 4  # and what is mixed at the edge
    seen = Box(int(x - across), int(y - down), int(x + across) + 1, int(y + down) + 1)
    seen = seen.even().within(picture.width, picture.height)
    if seen.empty:
        seen = Box(0, 0, picture.width, picture.height)
    onto = np.array([[scale, 0, wide / 2 - scale * (x - seen.left)], [0, scale, tall / 2 - scale * (y - seen.top)]])
    rgb = picture.crop(seen).to_rgb()
    small = cv2.warpAffine(rgb, onto, (wide, tall), flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(small, np.uint8)


def work_info(row: Row) -> WorkInfo:
    """A row of work with its speed and the time it still takes."""
    rate = left = None
    done = row["done"] - row["paced_done"]
    if row["state"] == "running" and row["paced"] and done > 0:
        seconds = (row["touched"] - row["paced"]).total_seconds()
        if seconds > PACED:
            rate = done / seconds
            left = (row["total"] - row["done"]) / rate
    keep = ("id", "kind", "label", "project", "subject", "state", "done", "total", "problem", "detail", "created")
    detail = {name: value for name, value in row["detail"].items() if name not in UNTOLD}
    place = row.get("place")
    return WorkInfo(
        **{name: row[name] for name in keep} | {"detail": detail}, rate=rate, left=left, place=place,
        project_name=row.get("project_name"), checkable=checkable(row),
    )  # fmt: skip


def download(content: str | bytes, name: str, ending: str, kind: str) -> Response:
    """A file to keep."""
    safe = "".join(c if c.isalnum() and c.isascii() else "-" for c in name).strip("-") or "file"
    headers = {"Content-Disposition": f'attachment; filename="{safe}.{ending}"'}
    return Response(content, media_type=kind, headers=headers)


def the_studio(connection: HTTPConnection) -> Studio:
    return connection.app.state.studio


TheStudio = Annotated[Studio, Depends(the_studio)]
