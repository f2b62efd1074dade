"""Fills as files: each plate a file of its own, named by what it shows; what else is known in one beside them."""

from __future__ import annotations

from dataclasses import astuple
from hashlib import sha256
from io import BytesIO
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.files import write
from cravo.core.fill.clip import Glance
from cravo.core.fill.filled import Fill
from cravo.core.fill.laying import FrameFill
from cravo.core.fill.movement import Step
from cravo.core.fill.plate import FlatView, Laying, Plate
from cravo.core.footage.picture import Box

INDEX = "fill.npz"
_QUICK = [cv2.IMWRITE_PNG_COMPRESSION, 2]
Arrays = dict[str, NDArray[Any]]


def write_fill(folder: Path, fill: Fill) -> None:
    """Write a fill into a folder of its own. Whoever reads meanwhile finds the old one or the new one."""
    folder.mkdir(parents=True, exist_ok=True)
    names = []
    for plate in fill.plates:
        content = _plate_file(plate)
        names.append(f"{sha256(content).hexdigest()[:24]}.plate")
        if not (folder / names[-1]).is_file():
            write(folder / names[-1], content, lasting=False)
    write(folder / INDEX, _packed(_index(fill, names)), lasting=False)
    for old in folder.glob("*.plate"):
        if old.name not in names:
            old.unlink(missing_ok=True)


def read_fill(folder: Path) -> Fill | None:
    """The fill of a folder; None where it is gone or damaged."""
    try:
        index = _unpacked((folder / INDEX).read_bytes())
        plates = [_plate(_unpacked((folder / str(name)).read_bytes())) for name in index["names"]]
    except (OSError, KeyError, ValueError, BadZipFile):
        return None
    for k, plate in enumerate(plates):
        plate.layings.update(_layings(index, k))
    first, last = (int(one) for one in index["span"])
    return Fill(tuple(plates), _frames(index), _glances(index), _steps(index), (first, last))


def _packed(arrays: Arrays) -> bytes:
    out = BytesIO()
    np.savez(out, allow_pickle=False, **arrays)
    return out.getvalue()


def _unpacked(content: bytes) -> Arrays:
    with np.load(BytesIO(content), allow_pickle=False) as found:
        return dict(found)


def _plate_file(plate: Plate) -> bytes:
    def png(picture: NDArray[Any]) -> NDArray[np.uint8]:
        return cv2.imencode(".png", picture, _QUICK)[1]

    return _packed(
        {
            "values": png(plate.values), "kinds": png(plate.kinds), "spread": png(plate.spread),
            "view": np.array([] if plate.view is None else astuple(plate.view), np.float64),
            "where": np.array([plate.first, plate.last, plate.at, *_corners(plate.box)]),
            "sources": np.array(list(plate.sources.items()), np.int64).reshape(-1, 2),
        }
    )  # fmt: skip


def _plate(arrays: Arrays) -> Plate:
    values, kinds, spread = (cv2.imdecode(arrays[name], cv2.IMREAD_UNCHANGED) for name in ("values", "kinds", "spread"))
    if values is None or kinds is None or spread is None:
        raise ValueError("A plate is damaged.")
    first, last, at, *corners = (int(one) for one in arrays["where"])
    sources = {int(frame): int(of) for frame, of in arrays["sources"]}
    yaw, pitch, degrees, side = arrays["view"] if len(arrays["view"]) else (0, 0, 0, 0)
    view = FlatView(float(yaw), float(pitch), float(degrees), int(side)) if side else None
    return Plate(first, last, at, Box(*corners), values, kinds, spread, sources, view=view)


def _index(fill: Fill, names: list[str]) -> Arrays:
    lays = [(k, frame, laying) for k, plate in enumerate(fill.plates) for frame, laying in plate.layings.items()]
    rests = [one.rest for _, _, one in lays if one.rest is not None]
    shadows = [(frame, *one.shadow) for frame, one in fill.frames.items() if one.shadow is not None]
    return {
        "names": np.array(names, dtype=str),
        "span": np.array(fill.span),
        "lays": np.array([(k, frame, *_corners(one.box), *_shape(one.rest)) for k, frame, one in lays], np.int64).reshape(-1, 8),
        "matrices": np.array([one.matrix for _, _, one in lays], np.float64).reshape(-1, 3, 3),
        "rests": np.concatenate([one.ravel() for one in rests]) if rests else np.zeros(0, np.float32),
        "frames": np.array([(f, one.seen, one.invented, one.sure) for f, one in fill.frames.items()], np.float64).reshape(-1, 4),
        "reasons": np.array([one.reason for one in fill.frames.values()], dtype=str),
        "shadows": np.array([(f, *_corners(box), *mask.shape) for f, box, mask in shadows], np.int64).reshape(-1, 7),
        "shades": np.concatenate([mask.ravel() for _, _, mask in shadows]) if shadows else np.zeros(0, np.uint8),
        "glances": np.array([(f, *_corners(one.hole), one.sum) for f, one in fill.glances.items()], np.int64).reshape(-1, 6),
        "cells": np.array([one.cells for one in fill.glances.values()], np.uint8),
        "steps": np.array([(f, one.key) for f, one in fill.steps.items()], np.int64).reshape(-1, 2),
        "ways": np.array([[*one.matrix.ravel(), one.sure] for one in fill.steps.values()], np.float64).reshape(-1, 10),
    }  # fmt: skip


def _layings(index: Arrays, plate: int) -> dict[int, Laying]:
    found, at = {}, 0
    for (k, frame, left, top, right, low, rows, columns), matrix in zip(index["lays"], index["matrices"], strict=True):
        size = int(rows * columns * 2)
        rest = index["rests"][at : at + size].reshape(rows, columns, 2) if size else None
        at += size
        if k == plate:
            found[int(frame)] = Laying(matrix, Box(int(left), int(top), int(right), int(low)), rest)
    return found


def _frames(index: Arrays) -> dict[int, FrameFill]:
    shadows, at = {}, 0
    for frame, left, top, right, low, rows, columns in index["shadows"]:
        mask = index["shades"][at : at + rows * columns].reshape(rows, columns)
        at += rows * columns
        shadows[int(frame)] = Box(int(left), int(top), int(right), int(low)), mask
    return {
        int(frame): FrameFill(float(seen), float(invented), float(sure), str(reason), shadows.get(int(frame)))
        for (frame, seen, invented, sure), reason in zip(index["frames"], index["reasons"], strict=True)
    }


def _glances(index: Arrays) -> dict[int, Glance]:
    return {
        int(row[0]): Glance(Box(*(int(one) for one in row[1:5])), cells, int(row[5]))
        for row, cells in zip(index["glances"], index["cells"], strict=True)
    }


def _steps(index: Arrays) -> dict[int, Step]:
    return {
        int(frame): Step(int(key), way[:9].reshape(3, 3), float(way[9]))
        for (frame, key), way in zip(index["steps"], index["ways"], strict=True)
    }


def _corners(box: Box) -> tuple[int, int, int, int]:
    return box.left, box.top, box.right, box.bottom


def _shape(rest: NDArray[np.float32] | None) -> tuple[int, int]:
    return (0, 0) if rest is None else (rest.shape[0], rest.shape[1])
