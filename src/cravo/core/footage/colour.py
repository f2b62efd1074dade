"""Colour as a clip states it: the luma matrix and the range of its code values.

Coefficients: ITU-R BT.601-7 (section 2.5.1) and BT.709-6 (section 3.2); code values: BT.709-6
section 4.6, scaled by 2**(depth - 8).
"""

from typing import Literal

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import ColorPrimaries, ColorRange, Colorspace, ColorTrc
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

Matrix = Literal["bt601", "bt709"]

LUMA: dict[Matrix, tuple[float, float, float]] = {
    "bt601": (0.299, 0.587, 0.114),
    "bt709": (0.2126, 0.7152, 0.0722),
}
# x and y of red, green, blue and white: BT.709-6 (section 1.3), SMPTE ST 170 (section 7).
PRIMARIES: dict[Matrix, tuple[float, ...]] = {
    "bt709": (0.640, 0.330, 0.300, 0.600, 0.150, 0.060, 0.3127, 0.3290),
    "bt601": (0.630, 0.340, 0.310, 0.595, 0.155, 0.070, 0.3127, 0.3290),
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

    @property
    def to_luma_chroma(self) -> NDArray[np.float32]:
        """From R'G'B' in 0..1 to Y' in 0..1 and Cb, Cr in -0.5..0.5, (3, 3)."""
        kr, kg, kb = LUMA[self.matrix]
        luma = np.array([kr, kg, kb])
        blue, red = (np.array([0, 0, 1]) - luma) / (2 * (1 - kb)), (np.array([1, 0, 0]) - luma) / (2 * (1 - kr))
        return np.stack([luma, blue, red]).astype(np.float32)

    def spans(self, depth: int = 10) -> tuple[float, float, float]:
        """Code value of black, span of luma, span of chroma, at a depth in bits."""
        if self.full_range:
            top = float((1 << depth) - 1)
            return 0.0, top, top
        unit = float(1 << (depth - 8))
        return 16 * unit, 219 * unit, 224 * unit

    def as_codes(self, values: NDArray[np.float32], depth: int = 10) -> NDArray[np.float32]:
        """Y', Cb, Cr (n, 3) as code values at a depth, not rounded."""
        low, luma, chroma = self.spans(depth)
        middle = 128 << (depth - 8)
        return values * np.array([luma, chroma, chroma], np.float32) + np.array([low, middle, middle], np.float32)

    def as_rgb(self, codes: NDArray[np.float32], depth: int = 10) -> NDArray[np.float32]:
        """R'G'B' (n, 3) of code values at a depth."""
        low, luma, chroma = self.spans(depth)
        middle = 128 << (depth - 8)
        values = (codes - np.array([low, middle, middle], np.float32)) / np.array([luma, chroma, chroma], np.float32)
        return (values @ np.linalg.inv(self.to_luma_chroma).T).astype(np.float32)

    def code_values(self, red: float, green: float, blue: float, depth: int = 8) -> tuple[int, int, int]:
        """Y', Cb, Cr code values of an R'G'B' colour.

        Parameters: red, green, blue in 0..1 (non-linear); depth in bits, 8 or 10.
        Returns whole code values inside the stated range.
        """
        values = self.as_codes(np.array([[red, green, blue]], np.float32) @ self.to_luma_chroma.T, depth)
        y, cb, cr = (int(v) for v in np.clip(np.rint(values[0]), 0, (1 << depth) - 1))
        return y, cb, cr


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
