"""The recurrent matting network's published graph, written down again as ONNX.

The graph (Lin, Yang, Saleemi, Sengupta 2022, *Robust High-Resolution Video Matting with Temporal Guidance*) comes as
JSON with weights of 8 bits. It is read from its outputs backwards, so that only what they need is converted. Two
things are left to the caller, who does them at any size: shrinking the picture, and enlarging the result by the
guided filter of the graph (`finders.matting`). The people's own colours, which nobody asks for, are left out.

Inputs: `src` (1, 3, h, w), red, green, blue in 0..1; `r1`..`r4`, what it remembers, (1, 16 | 20 | 40 | 64, h_k, w_k)
with h_k half of h_(k-1), rounded up, zeros at first. Outputs: `alpha` (1, 1, h, w), unlimited; `r1o`..`r4o`.
"""

from __future__ import annotations

import base64
import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import onnx
from numpy.typing import NDArray
from onnx import TensorProto, helper, numpy_helper

Node = dict[str, Any]
OPSET = 17
NETWORK = "StatefulPartitionedCall/matting_network_wrapper/StatefulPartitionedCall"
LAST = f"{NETWORK}/conv2d_62/BiasAdd"  # foreground less picture, and alpha behind it
SHRUNK = f"{NETWORK}/cond/output/_660"  # the picture as the network sees it
AXES = {0: 0, 1: 2, 2: 3, 3: 1, -1: 1}  # of height, width, channels behind one another, in ONNX's order
PACK = 4  # channels that the runtime handles together


def convert(graph_file: Path, weights_file: Path) -> onnx.ModelProto:
    """The network as an ONNX model; raises ValueError where the graph is not the one that is known."""
    graph = json.loads(graph_file.read_text())
    published = _Published(graph["modelTopology"]["node"], _weights(graph["weightsManifest"], weights_file))
    writer = _Writer(published)
    outputs = {"alpha": LAST} | {f"r{k}o": f"Identity_{k + 1}" for k in range(1, 5)}
    for name, source in outputs.items():
        writer.add("Identity", [writer.tensor(source)], name)
    model = writer.model(list(outputs))
    onnx.checker.check_model(model)
    return model


def _weights(manifest: list[Node], file: Path) -> dict[str, NDArray[Any]]:
    """Constants by name: bytes lie one after the other; 8 bits are q * scale + min."""
    raw, place, found = file.read_bytes(), 0, {}
    for group in manifest:
        for entry in group["weights"]:
            shape, packed = entry["shape"], entry.get("quantization")
            kind = np.dtype(packed["dtype"] if packed else entry["dtype"])
            count = math.prod(shape)
            values = np.frombuffer(raw, kind, count, place).reshape(shape)
            place += count * kind.itemsize
            if packed:
                values = values.astype(np.float32) * np.float32(packed["scale"]) + np.float32(packed["min"])
            found[entry["name"]] = values
    if place != len(raw):
        raise ValueError("the weights are not as long as the graph says")
    return found


class _Published:
    """The published graph, as it is read: nodes by name, and constants."""

    def __init__(self, nodes: list[Node], weights: dict[str, NDArray[Any]]) -> None:
        self.nodes = {node["name"]: node for node in nodes}
        self.weights = weights

    def inputs(self, node: Node) -> list[str]:
        return [name for name in node.get("input", []) if not name.startswith("^")]

    def source(self, name: str) -> Node:
        """The node behind a name, what only passes on left out."""
        node = self.nodes[name.partition(":")[0]]
        while node["op"] in ("Identity", "Switch"):
            node = self.nodes[self.inputs(node)[0].partition(":")[0]]
        return node

    def value(self, name: str) -> NDArray[Any]:
        return self.weights[self.source(name)["name"]]

    def holds(self, name: str, value: float) -> bool:
        node = self.source(name)
        return node["op"] == "Const" and bool(np.allclose(self.weights[node["name"]], value, atol=1e-4))

    def ramp(self, inputs: list[str]) -> str | None:
        """What x is where this is relu6(x + 3) / 6."""
        for one, other in (inputs, inputs[::-1]):
            clipped = self.source(other)
            if self.holds(one, 1 / 6) and clipped["op"] == "Relu6":
                raised = self.source(self.inputs(clipped)[0])
                if raised["op"] == "AddV2" and self.holds(self.inputs(raised)[1], 3):
                    return self.inputs(raised)[0]
        return None

    def swish(self, inputs: list[str]) -> str | None:
        """What x is where this is x / 6 * relu6(x + 3)."""
        for one, other in (inputs, inputs[::-1]):
            share, clipped = self.source(one), self.source(other)
            if share["op"] != "Mul" or clipped["op"] != "Relu6":
                continue
            raised = self.source(self.inputs(clipped)[0])
            if raised["op"] != "AddV2" or not self.holds(self.inputs(raised)[1], 3):
                continue
            x = self.inputs(raised)[0]
            parts = self.inputs(share)
            if x in parts and any(self.holds(part, 1 / 6) for part in parts):
                return x
        return None


class _Writer:
    """Writes nodes as they are asked for. Tensors are named by what made them in the published graph."""

    def __init__(self, graph: _Published) -> None:
        self._graph = graph
        self._written: list[onnx.NodeProto] = []
        self._constants: list[TensorProto] = []
        self._known: dict[str, str] = {SHRUNK: "src"}

    def model(self, outputs: list[str]) -> onnx.ModelProto:
        def value(name: str, channels: int | None) -> onnx.ValueInfoProto:
            return helper.make_tensor_value_info(name, TensorProto.FLOAT, [1, channels, None, None])

        states = [value(f"r{k}", channels) for k, channels in enumerate((16, 20, 40, 64), 1)]
        graph = helper.make_graph(
            self._written, "matting", [value("src", 3), *states], [value(n, None) for n in outputs], self._constants
        )
        return helper.make_model(graph, opset_imports=[helper.make_opsetid("", OPSET)], ir_version=8)

    def add(self, op: str, inputs: list[str], name: str, **attributes: Any) -> str:
        self._written.append(helper.make_node(op, inputs, [name], **attributes))
        return name

    def constant(self, values: NDArray[Any], name: str) -> str:
        # 0-d stays 0-d: np.ascontiguousarray would make it 1-d.
        self._constants.append(numpy_helper.from_array(np.array(values, order="C"), name))
        return name

    def tensor(self, name: str) -> str:
        """The ONNX tensor of a node's output, written where it is new."""
        if name not in self._known:
            node, _, output = name.partition(":")
            if output and self._graph.nodes[node]["op"] not in ("Split", "SplitV"):
                self._known[name] = self.tensor(node)
            elif node in self._graph.weights and not output:
                self._known[name] = self.constant(_broadcast(self._graph.weights[node]), name)
            else:
                self._known[name] = self._write(self._graph.nodes[node], name)
        return self._known[name]

    def _write(self, node: Node, name: str) -> str:
        op, inputs = node["op"], self._graph.inputs(node)
        simple = {"AddV2": "Add", "Add": "Add", "Sub": "Sub", "RealDiv": "Div", "Sigmoid": "Sigmoid", "Tanh": "Tanh"}
        if op in simple:
            return self.add(simple[op], [self.tensor(one) for one in inputs], name)
        if op in ("Identity", "Switch", "BroadcastTo", "Placeholder"):
            return self.tensor(inputs[0]) if inputs else {f"r{k}i": f"r{k}" for k in range(1, 5)}[name]
        writes = getattr(self, f"_write_{op.strip('_').lower()}", None)
        if writes is None:
            raise ValueError(f"the graph has an operation that is not known: {op}")
        return str(writes(node, inputs, name))

    def _write_square(self, node: Node, inputs: list[str], name: str) -> str:
        return self.add("Mul", [self.tensor(inputs[0])] * 2, name)

    def _write_relu6(self, node: Node, inputs: list[str], name: str) -> str:
        limits = [self.constant(np.array(v, np.float32), f"{name}/{v}") for v in (0, 6)]
        return self.add("Clip", [self.tensor(inputs[0]), *limits], name)

    def _write_mul(self, node: Node, inputs: list[str], name: str) -> str:
        ramp = self._graph.ramp(inputs)
        if ramp is not None:
            return self.add("HardSigmoid", [self.tensor(ramp)], name, alpha=1 / 6, beta=0.5)
        swished = self._graph.swish(inputs)
        if swished is not None:
            return self.add("HardSwish", [self.tensor(swished)], name)
        return self.add("Mul", [self.tensor(one) for one in inputs], name)

    def _write_mean(self, node: Node, inputs: list[str], name: str) -> str:
        axes = [AXES[int(axis)] for axis in np.atleast_1d(self._graph.value(inputs[1]))]
        return self.add("ReduceMean", [self.tensor(inputs[0])], name, axes=axes, keepdims=1)

    def _write_concatv2(self, node: Node, inputs: list[str], name: str) -> str:
        axis = AXES[int(self._graph.value(inputs[-1]))]
        return self.add("Concat", [self.tensor(one) for one in inputs[:-1]], name, axis=axis)

    def _write_split(self, node: Node, inputs: list[str], name: str) -> str:
        outputs = [f"{node['name']}:{i}" if i else node["name"] for i in range(2)]
        self._written.append(helper.make_node("Split", [self.tensor(inputs[1])], outputs, axis=1))
        self._known.update({one: one for one in outputs})
        return name

    def _write_splitv(self, node: Node, inputs: list[str], name: str) -> str:
        outputs = [f"{node['name']}:{i}" if i else node["name"] for i in range(2)]
        sizes = self.constant(self._graph.value(inputs[1]).astype(np.int64), f"{node['name']}/sizes")
        self._written.append(helper.make_node("Split", [self.tensor(inputs[0]), sizes], outputs, axis=1))
        self._known.update({one: one for one in outputs})
        return name

    def _write_avgpool(self, node: Node, inputs: list[str], name: str) -> str:
        kernel = [int(k) for k in node["attr"]["ksize"]["list"]["i"][1:3]]
        same = {"auto_pad": "SAME_UPPER", "count_include_pad": 0}
        return self.add("AveragePool", [self.tensor(inputs[0])], name, kernel_shape=kernel, strides=kernel, **same)

    def _write_resizebilinear(self, node: Node, inputs: list[str], name: str) -> str:
        scales = self.constant(np.array([1, 1, 2, 2], np.float32), f"{name}/scales")
        mode = {"mode": "linear", "coordinate_transformation_mode": "half_pixel"}
        return self.add("Resize", [self.tensor(inputs[0]), "", scales], name, **mode)

    def _write_slice(self, node: Node, inputs: list[str], name: str) -> str:
        """What was doubled, cut to the size of what it is joined with."""
        size = next(
            self._graph.source(one)
            for one in self._graph.inputs(self._graph.source(inputs[2]))
            if "strided_slice" in one
        )
        joined = self._graph.inputs(self._graph.source(self._graph.inputs(size)[0]))[0]
        ends = self.add("Shape", [self.tensor(joined)], f"{name}/ends", start=2, end=4)
        starts = self.constant(np.zeros(2, np.int64), f"{name}/starts")
        axes = self.constant(np.array([2, 3], np.int64), f"{name}/axes")
        return self.add("Slice", [self.tensor(inputs[0]), starts, ends, axes], name)

    def _write_fusedconv2d(self, node: Node, inputs: list[str], name: str) -> str:
        weights = self._graph.value(inputs[1]).transpose(3, 2, 0, 1)
        if name == LAST:
            return self._alpha(node, inputs, weights)
        source, pads = self._padded(inputs[0], node, weights.shape[2])
        tensor, missing = self.tensor(source), -weights.shape[1] % PACK
        if missing and weights.shape[1] > PACK:
            # An odd count of channels keeps the runtime off its quick layout: some are given twice and not weighed.
            weights = np.pad(weights, ((0, 0), (0, missing), (0, 0), (0, 0)))
            parts = self._parts(tensor)
            again = self._slice_channels(parts[0], missing, f"{name}/again")
            tensor = self.add("Concat", [*parts, again], f"{name}/wider", axis=1)
        return self._convolved(node, tensor, weights, inputs[2:], pads, name)

    _write_conv2d = _write_fusedconv2d

    def _alpha(self, node: Node, inputs: list[str], weights: NDArray[Any]) -> str:
        """Of what the last layer gives alpha alone."""
        parts = [self.tensor(inputs[0]), self.constant(weights[3:], f"{LAST}/weights")]
        return self.add("Conv", [*parts, self.constant(self._graph.value(inputs[2])[3:], f"{LAST}/bias")], LAST)

    def _parts(self, tensor: str) -> list[str]:
        """What a tensor was put together of, channels behind one another, which then need not be done; or it alone."""
        made = next(node for node in reversed(self._written) if tensor in node.output)
        if made.op_type != "Concat":
            return [tensor]
        self._written.remove(made)
        return list(made.input)

    def _slice_channels(self, tensor: str, count: int, name: str) -> str:
        limits = [self.constant(np.array([v], np.int64), f"{name}/{v}-{i}") for i, v in enumerate((0, count, 1))]
        return self.add("Slice", [tensor, *limits], name)

    def _write_fuseddepthwiseconv2dnative(self, node: Node, inputs: list[str], name: str) -> str:
        weights = _depthwise(self._graph.value(inputs[1]))
        source, pads = self._padded(inputs[0], node, weights.shape[2])
        return self._convolved(node, self.tensor(source), weights, inputs[2:], pads, name, group=len(weights))

    _write_depthwiseconv2dnative = _write_fuseddepthwiseconv2dnative

    def _write_batchtospacend(self, node: Node, inputs: list[str], name: str) -> str:
        """Dilation by 2, in the published graph a rearrangement before and after."""
        inner = self._graph.source(inputs[0])
        spread, kernel = self._graph.inputs(inner)[:2]
        weights = _depthwise(self._graph.value(kernel))
        reach = weights.shape[2] - 1
        source = self._graph.inputs(self._graph.source(spread))[0]
        while self._graph.source(source)["op"] == "Pad":
            source = self._graph.inputs(self._graph.source(source))[0]
        more = {"group": len(weights), "dilations": [2, 2]}
        pads = [reach] * 4
        return self._convolved(inner, self.tensor(source), weights, self._graph.inputs(inner)[2:], pads, name, **more)

    def _padded(self, name: str, node: Node, kernel: int) -> tuple[str, list[int]]:
        """What a convolution reads, and how many pixels are put around it: top, left, bottom, right."""
        before = self._graph.source(name)
        if before["op"] == "Pad":
            around = self._graph.value(self._graph.inputs(before)[1])
            return self._graph.inputs(before)[0], [int(v) for v in (*around[1:3, 0], *around[1:3, 1])]
        same = base64.b64decode(node["attr"]["padding"]["s"]) == b"SAME"
        return name, [(kernel - 1) // 2] * 4 if same else [0] * 4

    def _convolved(
        self, node: Node, tensor: str, weights: NDArray[Any], bias: list[str], pads: list[int], name: str, **more: Any
    ) -> str:
        steps = [int(step) for step in node["attr"]["strides"]["list"]["i"][1:3]]
        parts = [tensor, self.constant(weights, f"{name}/weights")]
        parts += [self.constant(self._graph.value(one), f"{name}/bias") for one in bias]
        fused = node["attr"].get("fused_ops", {}).get("list", {}).get("s", [])
        after = [text for one in fused if (text := base64.b64decode(one).decode()) != "BiasAdd"]
        out = self.add("Conv", parts, f"{name}/sum" if after else name, strides=steps, pads=pads, **more)
        for text in after:
            if text == "Relu":
                out = self.add("Relu", [out], name)
            elif text == "Relu6":
                limits = [self.constant(np.array(v, np.float32), f"{name}/limit{v}") for v in (0, 6)]
                out = self.add("Clip", [out, *limits], name)
            else:
                raise ValueError(f"the graph has a fused operation that is not known: {text}")
        return out


def _depthwise(weights: NDArray[Any]) -> NDArray[Any]:
    """(height, width, channels, times) to (channels * times, 1, height, width)."""
    height, width, channels, times = weights.shape
    return weights.transpose(2, 3, 0, 1).reshape(channels * times, 1, height, width)


def _broadcast(values: NDArray[Any]) -> NDArray[Any]:
    """A constant as it meets channels first."""
    if values.ndim == 1 and values.size > 1:
        return values.reshape(-1, 1, 1)
    return values.transpose(0, 3, 1, 2) if values.ndim == 4 else values
