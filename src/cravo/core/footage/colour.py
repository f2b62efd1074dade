"""Colour as a clip states it: the luma matrix and the range of its code values.

Coefficients: ITU-R BT.601-7 (section 2.5.1) and BT.709-6 (section 3.2); code values: BT.709-6
section 4.6, scaled by 2**(depth - 8).
"""

from typing import Literal

from av.video.frame import VideoFrame
from av.video.reformatter import ColorPrimaries, ColorRange, Colorspace, ColorTrc
from pydantic import BaseModel, ConfigDict

Matrix = Literal["bt601", "bt709"]

LUMA: dict[Matrix, tuple[float, float, float]] = {
    "bt601": (0.299, 0.587, 0.114),
    "bt709": (0.2126, 0.7152, 0.0722),
}
# AVColorSpace numbers; 5 and 6 (PAL and NTSC component video) share the BT.601 coefficients.
_MATRIX_OF_TAG: dict[int, Matrix] = {1: "bt709", 5: "bt601", 6: "bt601"}
_TAG_OF_MATRIX: dict[Matrix, int] = {"bt709": 1, "bt601": 6}


class Colour(BaseModel):
    """The luma matrix of a picture and whether it uses the full range of code values."""

    model_config = ConfigDict(frozen=True)

    matrix: Matrix = "bt709"
    full_range: bool = False

    @property
    def scaler_space(self) -> int:
        """The matrix as the scaler of FFmpeg names it."""
        return int(Colorspace.ITU709 if self.matrix == "bt709" else Colorspace.ITU601)

    @property
    def scaler_range(self) -> int:
        """The range as the scaler of FFmpeg names it."""
        return int(ColorRange.JPEG if self.full_range else ColorRange.MPEG)

    def tag(self, frame: VideoFrame) -> None:
        """Write matrix, range, primaries and transfer curve on a frame, for the encoder."""
        frame.colorspace = _TAG_OF_MATRIX[self.matrix]
        frame.color_range = self.scaler_range
        standard = self.matrix == "bt709"
        frame.color_primaries = int(ColorPrimaries.BT709 if standard else ColorPrimaries.SMPTE170M)
        frame.color_trc = int(ColorTrc.BT709 if standard else ColorTrc.SMPTE170M)

    def code_values(self, red: float, green: float, blue: float, depth: int = 8) -> tuple[int, int, int]:
        """Y', Cb, Cr code values of an R'G'B' colour.

        Parameters: red, green, blue in 0..1 (non-linear); depth in bits, 8 or 10.
        Returns whole code values inside the stated range.
        """
        kr, kg, kb = LUMA[self.matrix]
        luma = kr * red + kg * green + kb * blue
        cb = (blue - luma) / (2 * (1 - kb))
        cr = (red - luma) / (2 * (1 - kr))
        unit = 1 << (depth - 8)
        top = (1 << depth) - 1
        if self.full_range:
            low, luma_span, chroma_span = 0, top, top
        else:
            low, luma_span, chroma_span = 16 * unit, 219 * unit, 224 * unit
        middle = 128 * unit
        values = (low + luma_span * luma, middle + chroma_span * cb, middle + chroma_span * cr)
        return tuple(int(min(max(round(v), 0), top)) for v in values)  # type: ignore[return-value]


def parsed(text: str) -> tuple[float, float, float]:
    """Red, green, blue in 0..1 of a colour written as #rrggbb."""
    red, green, blue = (int(text[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return red, green, blue


def colour_of(frame: VideoFrame) -> Colour:
    """Read the colour tags of a decoded frame.

    Untagged pictures of 720 lines and more count as BT.709, smaller ones as BT.601 (common
    practice, no source); RGB pictures become BT.709 at full range when converted.
    """
    if frame.format.is_rgb:
        return Colour(matrix="bt709", full_range=True)
    guess: Matrix = "bt709" if max(frame.height, frame.width * 9 // 16) >= 720 else "bt601"
    full = frame.color_range == ColorRange.JPEG or frame.format.name.startswith("yuvj")
    return Colour(matrix=_MATRIX_OF_TAG.get(int(frame.colorspace), guess), full_range=full)
