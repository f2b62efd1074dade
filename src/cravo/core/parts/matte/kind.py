"""Mattes from clips."""

from __future__ import annotations

from cravo.core.document.parts.matte import MatteClip
from cravo.core.mattes.matte import NOTHING, Matte
from cravo.core.parts.kind import PartKind, PartView


class MatteKind(PartKind[MatteClip]):
    model = MatteClip
    refusal = "A matte from a clip lies as the clip shows it."

    def matte(self, part: MatteClip, view: PartView) -> Matte:
        """What the grey clip shows; nothing beyond its ends."""
        size = (view.whole.right, view.whole.bottom)
        values = view.footage.films(part.medium, view.frame - part.shift, size)
        if values is None:
            return NOTHING
        matte = Matte(view.whole, values)
        return matte.inverted() if part.invert else matte

    def relink(self, part: MatteClip, medium: str, to: str) -> None:
        if part.medium == medium:
            part.medium = to


KIND = MatteKind()
