"""Networks as they are run: what setup changes of them changes nothing of what they say."""

from __future__ import annotations

import numpy as np
import onnx
import onnxruntime
import pytest
from onnx import TensorProto, helper, numpy_helper

from cravo.core.errors import CravoError
from cravo.model_files import checked, normal


def weighed(weights: np.ndarray) -> bytes:
    """A network that multiplies with some weights."""
    value = helper.make_tensor_value_info
    graph = helper.make_graph(
        [helper.make_node("MatMul", ["x", "w"], ["y"])],
        "weighed",
        [value("x", TensorProto.FLOAT, [1, len(weights)])],
        [value("y", TensorProto.FLOAT, [1, weights.shape[1]])],
        [numpy_helper.from_array(weights, "w"), numpy_helper.from_array(np.array([3], np.int64), "count")],
    )
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 17)])
    model.ir_version = 9
    return bytes(model.SerializeToString())


def test_weights_too_small_to_be_normal_numbers_are_nought_and_nothing_else_changes() -> None:
    chance = np.random.default_rng(1)
    weights = chance.normal(0, 1, (40, 30)).astype(np.float32)
    weights[::3] *= np.float32(1e-40)
    weights[0, 0], weights[0, 1] = np.finfo(np.float32).tiny, -np.finfo(np.float32).tiny
    given = weighed(weights)
    made = onnx.load_from_string(normal(given))
    values = {one.name: numpy_helper.to_array(one) for one in made.graph.initializer}
    small = np.abs(weights) < np.finfo(np.float32).tiny
    assert small.any()
    assert not values["w"][small].any()
    assert np.array_equal(values["w"][~small], weights[~small])
    assert values["count"] == 3
    x = {"x": chance.normal(0, 1, (1, 40)).astype(np.float32)}
    before, after = (onnxruntime.InferenceSession(one).run(None, x)[0] for one in (given, normal(given)))
    assert np.array_equal(before, after)


def test_another_file_than_the_published_one_is_refused() -> None:
    digest = "2cf24dba5fb0a30e26e83b2ac5b9e29e1b161e5c1fa7425e73043362938b9824"  # of hello
    assert checked(b"hello", "some", digest) == b"hello"
    with pytest.raises(CravoError, match=r"some is not the file that was published\. Nothing was installed\."):
        checked(b"hullo", "some", digest)
