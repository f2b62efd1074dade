"""What is said of regions that are filled: runs for the lane, doubts, and the report's sentence on what is invented."""

from cravo.core.document import Ellipse, Layer, Look, Project, Region, Shot
from cravo.core.fill.filled import Fill, fill_key, fill_line
from cravo.core.fill.laying import FrameFill
from cravo.core.proof.coverage import flags
from cravo.core.proof.filled import fill_runs, invented
from cravo.core.proof.missing import missing_of_sequence
from cravo.core.proof.report import Report
from cravo.core.proof.sequence import Proof
from cravo.core.results import MemoryResults


def filled(**frames: FrameFill):
    region = Region(name="Notice", parts=[Ellipse(x=5, y=5, rx=2, ry=2)], inside=[Look(kind="fill")])
    shot = Shot(name="Gate", medium="m", start=0, first=0, last=9, regions=[region])
    results = MemoryResults()
    every = {int(name[1:]): one for name, one in frames.items()}
    results.put_fill("m", fill_key(shot, region), fill_line(shot, region), Fill(frames=every, span=(0, 9)))
    return shot, region, results


def test_runs_say_what_is_seen_and_what_is_invented():
    shot, region, results = filled(
        f0=FrameFill(), f1=FrameFill(), f2=FrameFill(0.7, 0.3), f3=FrameFill(0.5, 0.5), f6=FrameFill(0.99, 0.01)
    )
    found = [(one.state, one.first, one.last, one.invented) for one in fill_runs(shot, region, results)]
    assert found == [("seen", 0, 1, 0.0), ("invented", 2, 3, 0.5), ("seen", 6, 6, 0.01)]


def test_doubts_give_their_reason_stretch_by_stretch():
    why = "The other frames show different things behind it."
    doubted = FrameFill(sure=0.4, reason=why)
    shot, region, results = filled(f1=doubted, f2=doubted, f3=FrameFill(), f7=doubted)
    found = [one for one in flags(shot, region, results) if one.reason == why]
    assert [(one.first, one.last) for one in found] == [(1, 2), (7, 7)]


def test_the_report_says_what_no_frame_shows():
    shot, _, results = filled(f1=FrameFill(0.6, 0.4), f2=FrameFill(0.9, 0.1), f3=FrameFill())
    project = Project(name="p", layers=[Layer(items=[shot])])
    (said,) = invented(project, results)
    assert said == (
        "Notice in Gate is filled with invented picture on 2 frames, up to 40% of it: no frame shows what is there."
    )
    report = Report.of(project, Proof(), [], None, [said])
    assert said in report.to_html()
    assert said in report.to_json()
    assert invented(project, MemoryResults()) == []


def test_frames_that_are_not_filled_are_missing():
    shot, _, results = filled(**{f"f{frame}": FrameFill() for frame in range(6)})
    project = Project(name="p", layers=[Layer(items=[shot])])
    assert [(one.first, one.last, one.part) for one in missing_of_sequence(project, results)] == [(6, 9, "fill")]
