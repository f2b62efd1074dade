"""Grades as open files: chains as .cube tables, colour decision lists as XML."""

from __future__ import annotations

import re
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import PyOpenColorIO as OCIO

from cravo.core.errors import CravoError
from cravo.core.ocio import Grade

SIZES = (17, 33, 65)
LONGEST = 1 << 20  # characters of a list
CHANNELS = ("red", "green", "blue")


def cube_of(grade: Grade, title: str, size: int = 33) -> str:
    """A three-dimensional table of a grade (Cube LUT Specification 1.0), red changing fastest."""
    axis = np.linspace(0, 1, size, dtype=np.float32)
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")
    out = grade(np.stack([red.ravel(), green.ravel(), blue.ravel()], 1))
    rows = "\n".join(f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in out.tolist())
    safe = re.sub(r'["\n\r]', " ", title)
    return f'TITLE "{safe}"\nLUT_3D_SIZE {size}\nDOMAIN_MIN 0.0 0.0 0.0\nDOMAIN_MAX 1.0 1.0 1.0\n{rows}\n'


def cdl_xml(settings: dict[str, float], name: str) -> str:
    """An ASC color decision list with one correction, from the settings of the look `cdl`."""

    def row(which: str) -> str:
        return " ".join(f"{settings[f'{which}_{c}']:.6g}" for c in CHANNELS)

    safe = re.sub(r"[^A-Za-z0-9._-]+", "-", name).strip("-") or "look"
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<ColorDecisionList xmlns="urn:ASC:CDL:v1.2">\n  <ColorDecision>\n'
        f'    <ColorCorrection id="{safe}">\n'
        f"      <SOPNode>\n        <Slope>{row('slope')}</Slope>\n        <Offset>{row('offset')}</Offset>\n"
        f"        <Power>{row('power')}</Power>\n      </SOPNode>\n"
        f"      <SatNode>\n        <Saturation>{settings['saturation']:.6g}</Saturation>\n      </SatNode>\n"
        "    </ColorCorrection>\n  </ColorDecision>\n</ColorDecisionList>\n"
    )


def read_cdl(text: str) -> dict[str, float]:
    """The settings of the look `cdl` from the first correction of a list, collection or single correction.

    Raises
    ------
    CravoError
        For what is no colour decision list, or one without a correction.
    """
    if len(text) > LONGEST or "<!ENTITY" in text:
        raise CravoError("This is not a colour decision list that can be read.")
    with TemporaryDirectory() as folder:
        path = Path(folder) / "list.cdl"
        # A correction by itself and a collection are read as they are; all begin with their own element.
        root = next((e for e in ("ColorDecisionList", "ColorCorrectionCollection", "ColorCorrection") if f"<{e}" in text), None)  # fmt: skip
        if root is None:
            raise CravoError("There is no colour correction in this file.")
        path = path.with_suffix({"ColorDecisionList": ".cdl", "ColorCorrection": ".cc"}.get(root, ".ccc"))
        path.write_text(text)
        try:
            found = OCIO.CDLTransform.CreateFromFile(str(path), "")
        except OCIO.Exception:
            raise CravoError("There is no colour correction in this file that can be read.") from None
    settings = {"saturation": found.getSat()}
    for name, numbers in (("slope", found.getSlope()), ("offset", found.getOffset()), ("power", found.getPower())):
        settings |= {f"{name}_{c}": v for c, v in zip(CHANNELS, numbers, strict=True)}
    return settings
