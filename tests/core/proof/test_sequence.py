"""The proof of a piece of two faces that go about: what it says of covers, sound, and of the file that was written."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from tests.core.finders.test_lettering import board, truth
from tests.footage import make_clip, numbered
from tests.heads import FRAMES, HEIGHT, WIDTH, half_size, middle, two_heads

from cravo.core.document import (
    Accepted,
    Faces,
    Layer,
    Lettering,
    Look,
    MediumRef,
    Project,
    Region,
    Shot,
    SoundSpan,
)
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import faces_key, signs_key
from cravo.core.finders.models import FACES_FAR, LETTERING, has_model
from cravo.core.finders.signs import LineObservation, SignTrack
from cravo.core.footage.formats import Encoding
from cravo.core.footage.probe import probe
from cravo.core.parts.lettering.again import check_lines, spotted
from cravo.core.proof import sequence
from cravo.core.proof.file import tell_tales
from cravo.core.proof.looks import attacked_looks, weak_looks
from cravo.core.proof.report import Report, file_seen, read_report
from cravo.core.proof.sequence import Remark, prove, prove_file
from cravo.core.proof.sound import heard_as_it_is
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render
from cravo.core.timing import Medium

TURNING = {"measured": "across the region", "across": 5.0, "anchor": "region"}
STANDING = {"measured": "in pixels", "cell": 10.0, "anchor": "picture"}


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return two_heads(tmp_path_factory.mktemp("heads") / "heads.mp4")


def tracks() -> list[FaceTrack]:
    return [
        FaceTrack(
            who + 1, {f: FaceObservation(Oval(*middle(who, f), *half_size(), 0), "found", 0.9) for f in range(FRAMES)}
        )
        for who in (0, 1)
    ]


class Piece:
    """A piece of one shot whose faces are hidden by a look."""

    def __init__(self, clip: Path, look: Look, part: Faces | None = None) -> None:
        self.part = part or Faces()
        self.region = Region(name="Faces", parts=[self.part], inside=[look])
        self.shot = Shot(name="heads", medium="m", start=0, first=0, last=FRAMES - 1, regions=[self.region])
        self.project = Project(
            name="Heads", width=WIDTH, height=HEIGHT, layers=[Layer(items=[self.shot])],
            media=[MediumRef(id="m", name="heads.mp4")],
        )  # fmt: skip
        self.medium = Medium(clip, probe(clip))
        self.faces = MemoryResults()
        self.faces.put_faces("m", faces_key(self.shot, self.part), tracks())

    def plan(self) -> Plan:
        return Plan(self.project, lambda name: self.medium, self.faces)


def settled(piece: Piece) -> list[str]:
    """What attacks on a piece bring back, after which each look is mended and attacked once more."""
    weak = list(attacked_looks(piece.plan(), piece.shot, piece.region))
    for one in weak:
        one.look.settings.update(one.mended)
    assert list(attacked_looks(piece.plan(), piece.shot, piece.region)) == []
    return [one.reason for one in weak]


def test_cells_that_stand_still_while_a_face_moves_are_averaged_away(clip: Path) -> None:
    (reason,) = settled(Piece(clip, Look(kind="pixelate", settings=dict(STANDING))))
    assert "stand still" in reason


def test_cells_that_turn_with_the_face_are_not(clip: Path) -> None:
    assert settled(Piece(clip, Look(kind="pixelate", settings=dict(TURNING)))) == []


@pytest.mark.parametrize(("radius", "undone"), [(4.0, True), (18.0, False)])
def test_a_small_blur_is_divided_out_and_a_large_one_is_not(clip: Path, radius: float, undone: bool) -> None:
    said = settled(Piece(clip, Look(kind="blur", settings={"radius": radius})))
    assert ["divided out" in one for one in said] == [True] * undone


def test_a_mended_look_is_not_weak_any_more() -> None:
    for look in (
        Look(kind="pixelate", settings={**TURNING, "across": 20.0}),
        Look(kind="blur", settings={"radius": 5}),
    ):
        region = Region(name="r", parts=[], inside=[look])
        weak = next(iter(weak_looks(region, {0: 150.0})))
        look.settings.update(weak.mended)
        assert list(weak_looks(region, {0: 150.0})) == []


@pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")
def test_a_piece_is_clean_and_its_file_too_and_one_that_is_not_says_where(
    clip: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    piece = Piece(clip, Look(kind="pixelate", settings=dict(TURNING)))
    plan = piece.plan()
    proof = prove(plan, lambda done, total: None)
    assert proof.clean
    assert proof.shots == 1
    assert proof.found_again == 2
    assert [(one.name, one.found, one.bare) for one in proof.people] == [("1", FRAMES, 0), ("2", FRAMES, 0)]
    out = tmp_path / "out.mp4"
    media = lambda name: piece.medium  # noqa: E731
    render(piece.project, media, piece.faces, out, Encoding())
    assert prove_file(plan, out, lambda done, total: None) == []

    # The same file is not clean if the faces were to be hidden and are not.
    bare = tmp_path / "bare.mp4"
    piece.region.on = False
    render(piece.project, media, piece.faces, bare, Encoding())
    piece.region.on = True
    said = prove_file(plan, bare, lambda done, total: None)
    assert len(said) == len(range(0, FRAMES, 5))
    assert {one.reason for one in said} == {"In the file a face is still to be recognised where it is hidden."}

    # So is a part of it, whose frames count from the part's first one.
    render(piece.project, media, piece.faces, tmp_path / "part.mp4", Encoding(), first=10, last=14)
    assert prove_file(plan, tmp_path / "part.mp4", lambda done, total: None, first=10) == []

    # On no frame is what is seen around a cover taken for what is beneath it.
    with monkeypatch.context() as every:
        every.setattr(sequence, "LOOKED_AT", 1)
        assert prove_file(plan, out, lambda done, total: None) == []
        assert len(prove_file(plan, bare, lambda done, total: None)) == FRAMES

    # Somebody deleted the track of the second face.
    piece.part.gone.append("2")
    gaps = prove(plan, lambda done, total: None).gaps
    assert {gap.name for gap in gaps} == {None}
    assert sum(gap.last - gap.first + 1 for gap in gaps) == FRAMES
    assert all(abs(gap.place.x - middle(1, gap.frame)[0]) < 12 for gap in gaps)
    plan.close()

    made = Report.of(piece.project, proof.model_copy(update={"gaps": gaps}), [file_seen(clip, "a <b>.mp4")], None)
    piece.project.accepted.append(Accepted(region="r", first=3, last=9, reason="A guess.", who="Ada <i>", when="now"))
    made.accepted = piece.project.accepted
    made.clean = False
    assert read_report(made.to_json()) == made.sealed()
    page = made.to_html()
    for words in ("Open: ", "a &lt;b&gt;.mp4", made.sources[0].sha256, "Ada &lt;i&gt;", "across 5", "sure from 0.45"):
        assert words in page
    assert "<img" not in page
    assert "data:" not in page


def test_only_the_eyes_or_a_bar_hide_nobody(clip: Path) -> None:
    piece = Piece(clip, Look(kind="bar"), Faces(covers="eyes"))
    proof = prove(piece.plan(), lambda done, total: None)
    assert any("only the eyes are covered" in one.reason for one in proof.remarks)
    assert proof.gaps


@pytest.mark.skipif(not has_model(LETTERING), reason="the networks could not be installed here")
def test_lettering_is_looked_for_again_and_must_be_covered_where_it_was_asked_for() -> None:
    lines = spotted(0, board()) + spotted(5, board())
    assert {one.words.replace(" ", "") for one in lines} == {"PLATFORM4", "TICKETS"}
    shot = Shot(name="s", medium="m", start=0, first=0, last=9)
    known = MemoryResults()
    signs = [
        SignTrack(k + 1, text, {f: LineObservation(truth(text), "found", 1.0) for f in range(10)})
        for k, text in enumerate(("TICKETS", "PLATFORM 4"))
    ]
    known.put_lines(shot.medium, signs_key(shot, Lettering()), signs)

    def cover(*texts: str) -> np.ndarray:
        matte = np.zeros((HEIGHT, WIDTH), np.float32)
        for text in texts:
            low, high = truth(text).min(0).astype(int) - 6, truth(text).max(0).astype(int) + 6
            matte[low[1] : high[1], low[0] : high[0]] = 1
        return matte

    def said(part: Lettering, *texts: str) -> tuple[list[tuple[str | None, int, int]], int]:
        gaps, by_choice = check_lines(shot, part, lines, (WIDTH, HEIGHT), lambda frame: cover(*texts), known)
        assert all(gap.what == "line" for gap in gaps)
        return [(gap.name, gap.first, gap.last) for gap in gaps], by_choice

    assert said(Lettering(), "TICKETS", "PLATFORM 4") == ([], 0)
    assert said(Lettering(), "TICKETS") == ([("2", 0, 5)], 0)
    assert said(Lettering(choice="only", chosen=["1"]), "TICKETS") == ([], 1)
    assert said(Lettering(words="platform")) == ([("2", 0, 5)], 1)
    # A line that the first search missed must be covered, unless only some were chosen or it does not say what is asked for.
    known.put_lines(shot.medium, signs_key(shot, Lettering()), [])
    assert sorted(said(Lettering())[0], key=str) == [(None, 0, 5), (None, 0, 5)]
    assert said(Lettering(words="tickets"))[0] == [(None, 0, 5)]
    assert said(Lettering(choice="only", chosen=["7"])) == ([], 0)


def test_a_voice_is_heard_as_it_is_unless_something_is_done_on_each_frame() -> None:
    shot = Shot(name="s", medium="m", start=0, first=0, last=199)
    frames = range(20, 120)
    assert heard_as_it_is(shot, frames) == [(20, 119)]
    shot.sounds = [SoundSpan(first=20, last=79, how="tone"), SoundSpan(first=80, last=119, how="voice", voice=1)]
    assert heard_as_it_is(shot, frames) == [(80, 119)]
    shot.sounds[1].voice = -4
    assert heard_as_it_is(shot, frames) == []
    shot.sounds = []
    shot.voice = -5
    assert heard_as_it_is(shot, frames) == []
    shot.voice, shot.sound = 0, False
    assert heard_as_it_is(shot, frames) == []


def test_a_file_tells_by_words_chapters_and_further_tracks(tmp_path: Path) -> None:
    plain = make_clip(tmp_path / "plain.mp4", [numbered(0, 64, 48)] * 10, tone=440.0)
    assert list(tell_tales(plain)) == []
    telling = tmp_path / "telling.mkv"
    with av.open(str(plain)) as source, av.open(str(telling), "w") as target:
        target.metadata.update({"title": "Ostrelle depot", "location": "+48+011/"})
        streams = {one: target.add_stream_from_template(one) for one in (*source.streams.video, *source.streams.audio)}
        twice = target.add_stream_from_template(source.streams.audio[0])
        target.set_chapters(
            [{"id": 1, "start": 0, "end": 200, "time_base": Fraction(1, 1000), "metadata": {"title": "Bob"}}]
        )
        for packet in source.demux(*streams):
            if packet.dts is None:
                continue
            of = packet.stream
            packet.stream = streams[of]
            target.mux(packet)
        assert twice
    said = " ".join(tell_tales(telling))
    for words in ("LOCATION", "title", "chapters", "more than one track of sound"):
        assert words.lower() in said.lower()


def test_what_a_check_of_an_earlier_version_found_is_still_read():
    assert Remark.model_validate({"reason": "A voice.", "piece_frame": 4}).sequence_frame == 4
