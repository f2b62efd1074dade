"""Ranges of colours."""

from __future__ import annotations

from cravo.core.document.parts.colours import Colours
from cravo.core.mattes.colours import opacity
from cravo.core.mattes.matte import Matte
from cravo.core.parts.kind import PartKind, PartView


class ColoursKind(PartKind[Colours]):
    model = Colours
    refusal = "A range of colours is where its colours are."

    def matte(self, part: Colours, view: PartView) -> Matte:
        """Where the colours of the range are in the source."""
        picture = view.footage.pictures(view.frame, (view.whole.right, view.whole.bottom))
        matte = Matte(view.whole, opacity(picture, part, view.pixel))
        return matte.inverted() if part.invert else matte


KIND = ColoursKind()
