"""What a motion must ignore may be of any kind: faces that were found as well as shapes."""

import numpy as np
from tests.footage import make_clip, textured

from cravo.core.document import Faces, Layer, Lettering, Motion, Pose, Project, Region, Shot, around
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import faces_key, signs_key
from cravo.core.finders.signs import LineObservation, SignTrack
from cravo.core.footage.probe import probe
from cravo.core.motion.run import held_out
from cravo.core.motion.targets import targets
from cravo.core.proof.missing import missing
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.timing import Medium

SIZE = 320, 208


def test_faces_and_lettering_that_are_held_out_are(tmp_path):
    path = make_clip(tmp_path / "a.mp4", [textured(*SIZE, 2)] * 3)
    medium = Medium(path, probe(path))
    faces, lines = Faces(size=1.0, margin=0, feather=0), Lettering(margin=0, feather=0)
    regions = [Region(name="Faces", parts=[faces]), Region(name="Lines", parts=[lines])]
    motion = Motion(at=0, area=around(Pose(x=160, y=100, rx=90, ry=70)), span=(0, 2), hold_outs=[r.id for r in regions])
    shot = Shot(name="s", medium="m", start=0, first=0, last=2, regions=regions, motions=[motion])
    known = MemoryResults()
    assert {one.name for one in missing(shot, regions, known)} == {"Faces", "Lines"}
    known.put_faces(
        shot.medium,
        faces_key(shot, faces),
        [FaceTrack(1, {f: FaceObservation(Oval(120, 90, 20, 26, 0), "found", 0.9) for f in range(3)})],
    )
    corners = np.array([[200.0, 80], [260, 80], [260, 100], [200, 100]])
    known.put_lines(
        shot.medium,
        signs_key(shot, lines),
        [SignTrack(1, "TRAM", {f: LineObservation(corners, "found", 0.9) for f in range(3)})],
    )
    assert list(missing(shot, regions, known)) == []
    project = Project(name="p", width=SIZE[0], height=SIZE[1], layers=[Layer(items=[shot])])
    plan = Plan(project, lambda name: medium, known)
    (target,) = targets(shot, motion)
    held = held_out(shot, target, SIZE, lambda region, frame: plan.shots.matte(shot, region, frame, *SIZE))(1)
    plan.close()
    assert held[90, 120] == 255
    assert held[90, 230] == 255
    assert held[150, 160] == 0
