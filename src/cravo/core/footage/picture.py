"""A picture as the clip carries it: luma and chroma planes in their own depth and sampling.

Looks work on these planes, so that what no region touches leaves exactly as it came, and so that
a look on chroma alone costs only chroma. See docs/decisions/0002-working-in-the-clips-own-planes.md.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from threading import local
from typing import Any, cast

import cv2
import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import VideoReformatter
from numpy.typing import NDArray

from cravo.core.footage.colour import Colour, colour_of

Plane = NDArray[np.uint8] | NDArray[np.uint16]

# Formats that are worked in as they are; everything else is converted to the nearest of them.
_SHIFTS = {"yuv420": (1, 1), "yuv422": (1, 0), "yuv444": (0, 0)}


@dataclass(frozen=True, slots=True)
class Box:
    """Whole pixels from (left, top) up to, not including, (right, bottom)."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def width(self) -> int:
        return self.right - self.left

    @property
    def height(self) -> int:
        return self.bottom - self.top

    @property
    def empty(self) -> bool:
        return self.right <= self.left or self.bottom <= self.top

    def grown(self, by: int) -> Box:
        return Box(self.left - by, self.top - by, self.right + by, self.bottom + by)

    def within(self, width: int, height: int) -> Box:
        """The part of the box inside a picture of that size."""
        return Box(max(self.left, 0), max(self.top, 0), min(self.right, width), min(self.bottom, height))

    def holds(self, other: Box) -> bool:
        return (
            self.left <= other.left
            and self.top <= other.top
            and self.right >= other.right
            and self.bottom >= other.bottom
        )

    def joined(self, other: Box) -> Box:
        """The smallest box around both."""
        return Box(
            min(self.left, other.left), min(self.top, other.top),
            max(self.right, other.right), max(self.bottom, other.bottom),
        )  # fmt: skip

    def common(self, other: Box) -> Box:
        """What lies in both; may be empty."""
        return Box(
            max(self.left, other.left), max(self.top, other.top),
            min(self.right, other.right), min(self.bottom, other.bottom),
        )  # fmt: skip

    def slices(self, of: Box) -> tuple[slice, slice]:
        """Its rows and columns in what lies over a box that holds it."""
        return slice(self.top - of.top, self.bottom - of.top), slice(self.left - of.left, self.right - of.left)

    def even(self) -> Box:
        """The smallest box around this one whose corners lie on whole chroma samples."""
        return Box(self.left & ~1, self.top & ~1, (self.right + 1) & ~1, (self.bottom + 1) & ~1)


@dataclass(frozen=True, slots=True)
class Picture:
    """Planes Y', Cb, Cr of one frame, and how opaque it is where that is not everywhere.

    y is (height, width), u and v are that size divided by 2**shift, rounded up; dtype uint8 at
    8 bits, uint16 at 10. The planes may be views of a decoder's frame: read them, never write,
    unless the picture came from `blank` or `copy`.
    """

    y: Plane
    u: Plane
    v: Plane
    depth: int
    shifts: tuple[int, int]
    colour: Colour
    backing: VideoFrame | None = None  # the frame whose memory the planes are, if they are all of it
    a: Plane | None = None  # opacity, of the size and depth of y; all code values are used. The colours are straight.

    @property
    def width(self) -> int:
        return self.y.shape[1]

    @property
    def height(self) -> int:
        return self.y.shape[0]

    @property
    def planes(self) -> tuple[Plane, Plane, Plane]:
        return self.y, self.u, self.v

    @property
    def format(self) -> str:
        return _format(self.shifts, self.depth)

    @property
    def neutral(self) -> int:
        """The chroma code value that means no colour."""
        return 128 << (self.depth - 8)

    def crop(self, box: Box) -> Picture:
        """A view of part of the picture. The box lies inside it, on whole chroma samples."""
        sx, sy = self.shifts
        rows = slice(box.top >> sy, (box.bottom + sy) >> sy)
        columns = slice(box.left >> sx, (box.right + sx) >> sx)
        luma = self.y[box.top : box.bottom, box.left : box.right]
        alpha = None if self.a is None else self.a[box.top : box.bottom, box.left : box.right]
        return self.with_planes(luma, self.u[rows, columns], self.v[rows, columns]).with_alpha(alpha)

    def with_planes(self, y: Plane, u: Plane, v: Plane) -> Picture:
        return Picture(y, u, v, self.depth, self.shifts, self.colour, a=self.a)

    def with_alpha(self, a: Plane | None) -> Picture:
        return replace(self, a=a)

    def with_opacity(self) -> Picture:
        """The same picture with a plane that says how opaque it is: everywhere, where it had none."""
        if self.a is not None:
            return self
        return self.with_alpha(np.full_like(self.y, (1 << self.depth) - 1))

    def copy(self) -> Picture:
        """The same picture in memory of its own, in the planes of a frame ready for an encoder."""
        other = blank(self.width, self.height, self.depth, self.shifts, self.colour)
        for mine, its in zip(self.planes, other.planes, strict=True):
            np.copyto(its, mine)
        return other if self.a is None else other.with_alpha(self.a.copy())

    def turned(self, degrees: int) -> Picture:
        """Turned counter-clockwise by a multiple of 90 degrees."""
        quarters = (degrees // 90) % 4
        if not quarters:
            return self
        sx, sy = self.shifts
        if quarters % 2 and sx != sy:
            frame = reformatted(self.to_frame(), format=_format((0, 0), self.depth))
            return from_frame(frame, self.colour).turned(degrees)
        y, u, v = (cast(Plane, np.ascontiguousarray(np.rot90(plane, quarters))) for plane in self.planes)
        return self.with_planes(y, u, v)

    def to_frame(self) -> VideoFrame:
        """A frame for an encoder or the scaler, tagged with the picture's colour."""
        if self.backing is not None:
            self.colour.tag(self.backing)
            return self.backing
        frame = VideoFrame(self.width, self.height, self.format)
        for mine, its in zip(self.planes, _views(frame), strict=True):
            np.copyto(its, mine)
        self.colour.tag(frame)
        return frame

    def scaled(self, width: int, height: int) -> Picture:
        """The picture at another size (bilinear; averaging when it gets smaller)."""
        if (width, height) == (self.width, self.height):
            return self
        frame = self.to_frame()
        way = "AREA" if width < self.width else "BICUBIC"
        picture = from_frame(reformatted(frame, width=width, height=height, interpolation=way), self.colour)
        if self.a is None:
            return picture
        alpha = cv2.resize(self.a, (width, height), interpolation=cv2.INTER_AREA)
        return picture.with_alpha(cast(Plane, alpha))

    def to_rgb(self) -> NDArray[np.uint8]:
        """R'G'B' at 8 bits, (height, width, 3), for screens."""
        return cast(NDArray[np.uint8], _screen_frame(self, "rgb24").to_ndarray())

    def to_bgr(self) -> NDArray[np.uint8]:
        """The same with the channels the other way round, as OpenCV wants them."""
        return cast(NDArray[np.uint8], _screen_frame(self, "bgr24").to_ndarray())

    @property
    def opacity(self) -> NDArray[np.float32]:
        """0..1 of every pixel; 1 where nothing says otherwise."""
        if self.a is None:
            return np.ones(self.y.shape, np.float32)
        return self.a * np.float32(1 / ((1 << self.depth) - 1))

    def to_deep_rgb(self, multiplied: bool = False) -> NDArray[np.uint16]:
        """R'G'B' and opacity at 16 bits, (height, width, 4); colours straight or multiplied by the opacity."""
        rgb = _screen_frame(self, "rgb48le").to_ndarray().astype(np.uint16)
        share = self.opacity
        if multiplied and self.a is not None:
            rgb = np.rint(rgb * share[..., None]).astype(np.uint16)
        return np.dstack([rgb, np.rint(share * 65535).astype(np.uint16)])


def framed(picture: Picture, pixels: str, multiplied: bool) -> VideoFrame:
    """A frame of another format for an encoder, with opacity where the format has it."""
    if pixels == picture.format:
        return picture.to_frame()
    space, span = picture.colour.scaler_space, picture.colour.scaler_range
    plain = pixels.replace("yuva", "yuv")
    source = _multiplied(picture) if multiplied and picture.a is not None else picture
    frame = reformatted(
        source.to_frame(), format=plain,
        src_colorspace=space, dst_colorspace=space, src_color_range=span, dst_color_range=span,
    )  # fmt: skip
    if plain == pixels:
        picture.colour.tag(frame)
        return frame
    out = VideoFrame(picture.width, picture.height, pixels)
    deep = 10 if pixels.endswith("10le") else 8
    opacity = picture.with_opacity().a
    scale = ((1 << deep) - 1) / ((1 << picture.depth) - 1)
    alpha = np.rint(opacity * np.float32(scale)).astype(np.uint16 if deep > 8 else np.uint8)  # type: ignore[operator]
    for mine, its in zip((*_views(frame), alpha), _views(out, 4), strict=True):
        np.copyto(its, mine)
    picture.colour.tag(out)
    return out


def _multiplied(picture: Picture) -> Picture:
    """Colours laid over black by their opacity, the opacity kept."""
    share = picture.opacity
    black = 0 if picture.colour.full_range else 16 << (picture.depth - 8)
    small = cv2.resize(share, (picture.u.shape[1], picture.u.shape[0]), interpolation=cv2.INTER_AREA)
    grounds = ((picture.y, share, black), (picture.u, small, picture.neutral), (picture.v, small, picture.neutral))
    planes = [
        np.rint(ground + part * (plane - np.float32(ground))).astype(plane.dtype) for plane, part, ground in grounds
    ]
    return picture.with_planes(*planes)


_scalers = local()
SCALERS = 12  # kept in a thread


def reformatted(frame: VideoFrame, **wanted: Any) -> VideoFrame:
    """The frame in another format or size (keywords of `VideoReformatter.reformat`).

    A frame's own scaler must not be used by two threads at once, and setting one up takes longer
    than using it: each thread keeps one for every conversion that it makes again and again.
    """
    known: dict[tuple[Any, ...], VideoReformatter] = _scalers.__dict__.setdefault("known", {})
    key = (frame.width, frame.height, frame.format.name, *wanted.items())
    scaler = known.pop(key, None) or VideoReformatter()
    known[key] = scaler
    if len(known) > SCALERS:
        del known[next(iter(known))]
    return scaler.reformat(frame, **wanted)


def blank(width: int, height: int, depth: int, shifts: tuple[int, int], colour: Colour) -> Picture:
    """A writable picture whose content is undefined, in the planes of an encoder's frame."""
    frame = VideoFrame(width, height, _format(shifts, depth))
    y, u, v = _views(frame)
    return Picture(y, u, v, depth, shifts, colour, frame)


def from_frame(frame: VideoFrame, colour: Colour | None = None) -> Picture:
    """View a decoded frame as a picture; converts only what is not planar 8 or 10 bit Y'CbCr."""
    colour = colour or colour_of(frame)
    wanted = _nearest_format(frame)
    if frame.format.name != wanted and not _same_layout(frame.format.name, wanted):
        source_range = 2 if frame.format.is_rgb else colour.scaler_range
        frame = reformatted(
            frame,
            format=wanted,
            src_colorspace=colour.scaler_space,
            dst_colorspace=colour.scaler_space,
            src_color_range=source_range,
            dst_color_range=colour.scaler_range,
        )
    depth = 10 if wanted.endswith("10le") else 8
    y, u, v = _views(frame)
    backing = frame if frame.format.name == wanted else None
    return Picture(y, u, v, depth, _SHIFTS[wanted[:6]], colour, backing)


def conformed(picture: Picture, like: Picture) -> Picture:
    """The picture in the format and colour of another; a file has one for all its frames."""
    if picture.format == like.format and picture.colour == like.colour:
        return picture
    frame = reformatted(
        picture.to_frame(),
        format=like.format,
        src_colorspace=picture.colour.scaler_space,
        dst_colorspace=like.colour.scaler_space,
        src_color_range=picture.colour.scaler_range,
        dst_color_range=like.colour.scaler_range,
    )
    other = from_frame(frame, like.colour)
    if picture.a is None or picture.depth == other.depth:
        return other.with_alpha(picture.a)
    scale = ((1 << other.depth) - 1) / ((1 << picture.depth) - 1)
    return other.with_alpha(np.rint(picture.a * scale).astype(other.y.dtype))


def _screen_frame(picture: Picture, layout: str) -> VideoFrame:
    space = picture.colour.scaler_space
    return reformatted(
        picture.to_frame(),
        format=layout,
        src_colorspace=space,
        dst_colorspace=space,
        src_color_range=picture.colour.scaler_range,
        dst_color_range=2,
        interpolation="BILINEAR",
    )


def _format(shifts: tuple[int, int], depth: int) -> str:
    name = next(name for name, value in _SHIFTS.items() if value == shifts)
    return name + ("p10le" if depth == 10 else "p")


def _same_layout(name: str, wanted: str) -> bool:
    # The "j" formats differ from the plain ones by their range only, which `Colour` carries.
    return name.replace("yuvj", "yuv") == wanted


def _nearest_format(frame: VideoFrame) -> str:
    parts = frame.format.components
    deep = max(part.bits for part in parts) > 8
    if frame.format.is_rgb or len(parts) < 3:
        base = "yuv444" if len(parts) >= 3 else "yuv420"
    else:
        wide = parts[1].width * 2 <= frame.format.width + 1
        tall = parts[1].height * 2 <= frame.format.height + 1
        base = "yuv420" if wide and tall else "yuv422" if wide else "yuv444"
    return base + ("p10le" if deep else "p")


def _views(frame: VideoFrame, count: int = 3) -> tuple[Plane, ...]:
    wide = frame.format.components[0].bits > 8
    dtype = np.uint16 if wide else np.uint8
    views: list[Plane] = []
    for plane in list(frame.planes)[:count]:
        whole = np.frombuffer(memoryview(plane), dtype).reshape(-1, plane.line_size // dtype().itemsize)
        views.append(cast(Plane, whole[: plane.height, : plane.width]))
    return tuple(views)
