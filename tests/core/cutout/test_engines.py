"""A pair of networks put into the models folder: loaded, asked, and refused with a sentence."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import onnx
import pytest
from onnx import TensorProto, helper, numpy_helper
from tests.moving import moving_thing

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.first import careful, quick, spots_in
from cravo.core.cutout.frame_mattes import key
from cravo.core.document import CutOut, Shot, Stroke
from cravo.core.errors import CravoError
from cravo.core.finders.models import MissingModel
from cravo.core.finders.prompted import Prompted, engines
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader

SIDE = 96


def _saved(path: Path, nodes: list[onnx.NodeProto], inputs: list, outputs: list, constants: list) -> None:
    graph = helper.make_graph(nodes, "tiny", inputs, outputs, constants)
    onnx.save(helper.make_model(graph, opset_imports=[helper.make_opsetid("", 17)], ir_version=9), path)


def tiny_pair(folder: Path, name: str = "tiny") -> None:
    """A segmenter by colour: what looks as the first point does, with 20 x (0.2 - difference) as log odds."""
    info, floats = helper.make_tensor_value_info, TensorProto.FLOAT
    embedded = info("image_embeddings", floats, [1, 3, SIDE, SIDE])
    _saved(
        folder / f"{name}.encoder.onnx",
        [helper.make_node("Identity", ["image"], ["image_embeddings"])],
        [info("image", floats, [1, 3, SIDE, SIDE])], [embedded], [],
    )  # fmt: skip
    constant = numpy_helper.from_array
    nodes = [
        helper.make_node("Gather", ["point_coords", "first"], ["spot"], axis=1),  # (1, 2): x, y
        helper.make_node("Cast", ["spot"], ["whole"], to=TensorProto.INT64),
        helper.make_node("Gather", ["whole", "turned"], ["yx"], axis=1),
        helper.make_node("Concat", ["nought", "yx"], ["place"], axis=1),  # (1, 3): batch, y, x
        helper.make_node("Transpose", ["image_embeddings"], ["last"], perm=[0, 2, 3, 1]),
        helper.make_node("GatherND", ["last", "place"], ["colour"]),  # (1, 3)
        helper.make_node("Reshape", ["colour", "as_picture"], ["wanted"]),
        helper.make_node("Sub", ["image_embeddings", "wanted"], ["apart"]),
        helper.make_node("Abs", ["apart"], ["far"]),
        helper.make_node("ReduceSum", ["far", "channels"], ["sum"], keepdims=1),
        helper.make_node("Sub", ["limit", "sum"], ["near"]),
        helper.make_node("Mul", ["near", "steep"], ["masks"]),
    ]
    constants = [
        constant(np.array(0, np.int64), "first"), constant(np.array([1, 0], np.int64), "turned"),
        constant(np.zeros((1, 1), np.int64), "nought"), constant(np.array([1, 3, 1, 1], np.int64), "as_picture"),
        constant(np.array([1], np.int64), "channels"), constant(np.array(0.2, np.float32), "limit"),
        constant(np.array(20.0, np.float32), "steep"),
    ]  # fmt: skip
    points, labels = info("point_coords", floats, [1, None, 2]), info("point_labels", floats, [1, None])
    masks = info("masks", floats, [1, 1, SIDE, SIDE])
    _saved(folder / f"{name}.decoder.onnx", nodes, [embedded, points, labels], [masks], constants)


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    models = tmp_path / "models"
    models.mkdir()
    monkeypatch.setenv("CRAVO_MODELS", str(models))
    return models


@pytest.fixture
def card() -> np.ndarray:
    """Blue with a red oblong on it, wider than high."""
    picture = np.zeros((120, 240, 3), np.uint8)
    picture[...] = (30, 40, 200)
    picture[30:90, 60:150] = (210, 40, 30)
    return picture


def test_only_whole_pairs_are_offered(folder: Path) -> None:
    tiny_pair(folder)
    (folder / "half.encoder.onnx").write_bytes(b"")
    assert engines() == ["tiny"]


def test_it_is_asked_where_the_points_are(folder: Path, card: np.ndarray) -> None:
    tiny_pair(folder)
    found = Prompted("tiny").opacity(card, [(100.0, 60.0)], []) > 0.5
    wanted = np.zeros((120, 240), bool)
    wanted[30:90, 60:150] = True
    assert (found & wanted).sum() / (found | wanted).sum() > 0.9
    other = Prompted("tiny").opacity(card, [(20.0, 60.0)], []) > 0.5
    assert other[10, 200]
    assert not other[60, 100]


def test_what_is_no_such_pair_is_refused_with_a_sentence(folder: Path, card: np.ndarray) -> None:
    with pytest.raises(MissingModel, match="not installed"):
        Prompted("nothing")
    (folder / "broken.encoder.onnx").write_bytes(b"not a network")
    (folder / "broken.decoder.onnx").write_bytes(b"not a network")
    with pytest.raises(CravoError, match="not a network that Cravo can run"):
        Prompted("broken")
    tiny_pair(folder, "swapped")
    (folder / "swapped.decoder.onnx").write_bytes((folder / "swapped.encoder.onnx").read_bytes())
    with pytest.raises(CravoError, match="ask with points"):
        Prompted("swapped")


def test_its_word_counts_for_a_cut_out(folder: Path, tmp_path: Path) -> None:
    tiny_pair(folder)
    thing = moving_thing(tmp_path / "thing.mp4", frames=3)
    facts = probe(thing.path)
    clip = ClipView(lambda: Reader(thing.path, facts), facts, 0, 2)
    x, y = thing.middle(1)
    strokes = [Stroke(frame=1, points=[(x, y)], width=8)]

    class Everything(Prompted):
        def __init__(self) -> None:
            pass

        def opacity(self, view: np.ndarray, inside: list, outside: list) -> np.ndarray:
            assert inside
            return np.ones(view.shape[:2], np.float32)

    plain, swayed = quick(clip, 1, strokes, "thing"), quick(clip, 1, strokes, "thing", Everything())
    assert swayed.inside.sum() > plain.inside.sum()
    assert careful(clip, 1, strokes, "thing", Prompted("tiny")).inside.any()
    clip.close()
    shot = Shot(name="s", medium="m", start=0, first=0, last=2)
    with_it, without = (CutOut(span=(0, 2), strokes=strokes, engine=name) for name in ("tiny", None))
    assert key(shot, with_it, 1) != key(shot, without, 1)


def test_points_lie_deep_inside_and_apart() -> None:
    mask = np.zeros((80, 160), bool)
    mask[20:60, 20:140] = True
    spots = spots_in(mask)
    assert len(spots) >= 3
    assert all(mask[int(y), int(x)] for x, y in spots)
    assert np.ptp([x for x, _ in spots]) > 60
    assert spots_in(np.zeros((8, 8), bool)) == []
