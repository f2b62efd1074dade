"""Files from elsewhere with anything wrong in them: each is read, or refused with a sentence; 240 of them, and 30 films.

The long form for films is `cravo bench --only hostile`.
"""

from contextlib import suppress
from fractions import Fraction

import pytest
from bench.bench_hostile import films
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from cravo.core.document import Ellipse, Layer, Look, MediumRef, Project, Region, Shot, Solid, Title
from cravo.core.errors import CravoError
from cravo.core.exchange import read_motion, read_shapes, read_table
from cravo.core.grading.files import read_cdl
from cravo.core.timeline import from_timeline, to_timeline
from cravo.core.validation import open_project

REGION = Region(name="r", parts=[Ellipse(x=5, y=5, rx=2, ry=2)], inside=[Look(kind="blur")])
PROJECT = Project(
    name="Open day",
    layers=[
        Layer(name="1", items=[Solid(start=0, length=9, colour="#102030"), Title(start=3, length=9, text="Ostrelle")])
    ],
)
WITH_SHOT = PROJECT.model_copy(
    update={
        "layers": [Layer(items=[Shot(name="s", medium="a" * 64, start=0, first=0, last=9, regions=[REGION])])],
        "media": [MediumRef(id="a" * 64, name="a.mp4")],
    }
)
CDL = """<ColorDecisionList xmlns="urn:ASC:CDL:v1.2"><ColorDecision><ColorCorrection id="a"><SOPNode><Slope>1 1 1</Slope>
<Offset>0 0 0</Offset><Power>1 1 1</Power></SOPNode><SatNode><Saturation>0.9</Saturation></SatNode></ColorCorrection></ColorDecision></ColorDecisionList>"""
MOTION = '{"at": 0, "frames": [{"frame": 0, "matrix": [[1,0,0],[0,1,0],[0,0,1]]}, {"frame": 1, "matrix": [[1,0,3],[0,1,2],[0,0,1]], "confidence": 0.5}]}'
TABLE = "frame,x,y\n0,10,20\n1,11.5,21\n2,13,22\n"
SVG = '<svg viewBox="0 0 100 100"><path d="M 10 10 L 50 10 C 60 20 60 40 50 50 Z"><animate attributeName="d" dur="2s" values="M0 0L9 0L9 9Z;M1 0L9 0L9 9Z"/></path></svg>'

READERS = {
    "project": (WITH_SHOT.to_json(), open_project),
    "timeline": (
        to_timeline(PROJECT, lambda _: None),
        lambda text: from_timeline(text, lambda *_: None, lambda _: None),
    ),
    "cdl": (CDL, read_cdl),
    "motion": (MOTION, read_motion),
    "table": (TABLE, lambda text: read_table(text, "a.csv")),
    "shapes": (SVG, lambda text: read_shapes(text, 0, Fraction(25))),
}
HOSTILE = (
    "", "0", "-1", "1e999", "NaN", "9" * 60, "null", "[]", "{}", '"', "'", "<", ">", "&", "&#0;", "\x00", "\ud800", ",,,", "\n\n", "[" * 400,
    "<g>" * 400, "../../etc/passwd", "<!ENTITY a 'b'>", "1" * 5000, "true", "\u202e", "M", "Z", "1/0", "-0",
)  # fmt: skip


@st.composite
def worse(draw, text):
    """A text with up to four stretches replaced by something hostile."""
    for _ in range(draw(st.integers(1, 4))):
        at = draw(st.integers(0, len(text)))
        text = text[:at] + draw(st.sampled_from(HOSTILE)) + text[at + draw(st.integers(0, 12)) :]
    return text


@pytest.mark.parametrize("kind", READERS)
def test_a_file_with_anything_wrong_is_read_or_refused(kind):
    good, reader = READERS[kind]
    reader(good)

    @settings(max_examples=40, suppress_health_check=list(HealthCheck), derandomize=True)
    @given(worse(good))
    def reads(text):
        said = "."
        with suppress(UnicodeError):  # of half characters: such a text never arrives, as requests are UTF-8
            try:
                reader(text)
            except CravoError as error:
                said = str(error)
        assert said.endswith((".", ")", "?"))

    reads()


def test_damaged_films_are_read_or_refused_and_crash_nothing():
    found = films(30)
    assert found["crash"] == found["fault"] == 0
    assert found["refused"] + found["read"] == 30
