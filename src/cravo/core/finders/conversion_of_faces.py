"""The network for small faces (YuNet: Yu, Wu 2023) out of the library that its authors publish, as an ONNX graph.

The library holds the weights as tables with names, and runs the network with loops of its own; ONNX Runtime takes a
fifth of the time for the same answers.
"""

from __future__ import annotations

import ctypes
from pathlib import Path
from typing import Any

import numpy as np
import onnx
from numpy.typing import NDArray
from onnx import TensorProto, helper, numpy_helper

STAGES = ((16, 16, 32), (32, 32, 64), (64, 64, 64), (64, 64, 64), (64, 64, 64))  # channels into, within and out of each
SHRINK_AFTER = (2, 3, 4)  # stages
LEVELS = (2, 1, 0)  # coarse ones first
STRIDES = (8, 16, 32)  # pixels between the places of each level
SEEN = 27  # values around a pixel that the first layer sees, of 32 that it has weights for


def convert_faces(library: Path) -> onnx.ModelProto:
    """The graph: `bgr` (1, 3, h, w), 0..255, sides multiples of 32; for each stride how sure a face is at each place,
    `sure8` (1, 1, h/8, w/8) in 0..1, and where, `box8` (1, 4, h/8, w/8): middle, and logarithm of the size, in strides.

    Parameters
    ----------
    library
        The published shared library, for this machine.

    Raises
    ------
    ValueError
        Where it does not hold the tables.
    """
    writer = _Writer(ctypes.CDLL(str(library)))
    seen = writer.first("bgr")
    seen = writer.shrunk(writer.unit(seen, "backbone__model0_dp", 16, 16))
    found = {}
    for k, (into, within, out) in enumerate(STAGES, 1):
        seen = writer.unit(seen, f"backbone__model{k}_dp1", into, within)
        found[k] = seen = writer.unit(seen, f"backbone__model{k}_dp2", within, out)
        seen = writer.shrunk(seen) if k in SHRINK_AFTER else seen
    outputs: list[onnx.ValueInfoProto] = []
    coarser = None
    for level in LEVELS:
        here = found[level + 3] if coarser is None else writer.joined(found[level + 3], coarser)
        here = coarser = writer.unit(here, f"neck__lateral_convs__{level}", 64, 64)
        outputs += writer.head(here, level)
    inputs = [helper.make_tensor_value_info("bgr", TensorProto.FLOAT, [1, 3, "h", "w"])]
    graph = helper.make_graph(writer.nodes, "faces", inputs, outputs, writer.tables)
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 17)])
    model.ir_version = 9
    return model


class _Writer:
    def __init__(self, library: ctypes.CDLL) -> None:
        self._library = library
        self.nodes: list[onnx.NodeProto] = []
        self.tables: list[onnx.TensorProto] = [numpy_helper.from_array(np.array([1, 1, 2, 2], np.float32), "twice")]

    def first(self, name: str) -> str:
        """The first layer, whose weights are given by place and then colour."""
        values = self._values("backbone__model0_pw_weight", 16 * 32).reshape(16, 32)[:, :SEEN]
        weights = values.reshape(16, 3, 3, 3).transpose(0, 3, 1, 2)
        out = self._convolved(name, "backbone__model0_pw", weights, pads=[1] * 4, strides=[2, 2])
        return self._made("Relu", out)

    def unit(self, name: str, of: str, into: int, out: int, last: bool = True) -> str:
        """A mixture of channels, and a 3x3 filter in each of them; `last` cuts off below 0."""
        mixing = self._values(f"{of}_pw_weight", into * out).reshape(out, into, 1, 1)
        filters = self._values(f"{of}_dw_weight", 9 * out).reshape(9, out).T.reshape(out, 1, 3, 3)
        mixed = self._convolved(name, f"{of}_pw", mixing)
        filtered = self._convolved(mixed, f"{of}_dw", filters, pads=[1] * 4, group=out)
        return self._made("Relu", filtered) if last else filtered

    def shrunk(self, name: str) -> str:
        return self._made("MaxPool", name, kernel_shape=[2, 2], strides=[2, 2])

    def joined(self, fine: str, coarse: str) -> str:
        """A level with the coarser one, doubled, added."""
        nearest: dict[str, Any] = {
            "mode": "nearest",
            "coordinate_transformation_mode": "asymmetric",
            "nearest_mode": "floor",
        }
        doubled = self._made("Resize", coarse, "", "twice", **nearest)
        return self._made("Add", fine, doubled)

    def head(self, name: str, level: int) -> list[onnx.ValueInfoProto]:
        """What a level says: a face is one by what it looks like and by how well its box fits."""
        heads = {kind: f"bbox_head__multi_level_{kind}__{level}" for kind in ("cls", "obj", "bbox")}
        says = [self._made("Sigmoid", self.unit(name, heads[kind], 64, 1, last=False)) for kind in ("cls", "obj")]
        sure, box = f"sure{STRIDES[level]}", f"box{STRIDES[level]}"
        self.nodes.append(helper.make_node("Sqrt", [self._made("Mul", *says)], [sure]))
        self.nodes.append(helper.make_node("Identity", [self.unit(name, heads["bbox"], 64, 4, last=False)], [box]))
        return [helper.make_tensor_value_info(out, TensorProto.FLOAT, None) for out in (sure, box)]

    def _convolved(self, name: str, of: str, weights: NDArray[np.float32], **how: Any) -> str:
        self._table(f"{of}_w", weights)
        self._table(f"{of}_b", self._values(f"{of}_bias", len(weights)))
        return self._made("Conv", name, f"{of}_w", f"{of}_b", **how)

    def _made(self, kind: str, *names: str, **how: Any) -> str:
        out = f"{kind}{len(self.nodes)}"
        self.nodes.append(helper.make_node(kind, list(names), [out], **how))
        return out

    def _table(self, name: str, values: NDArray[np.float32]) -> None:
        self.tables.append(numpy_helper.from_array(np.ascontiguousarray(values), name))

    def _values(self, name: str, count: int) -> NDArray[np.float32]:
        return np.array((ctypes.c_float * count).in_dll(self._library, name), np.float32)
