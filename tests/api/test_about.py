"""What this Cravo is made of, and the file that is sent along with a fault."""

import json
from importlib.metadata import version

from cravo.store.database import data_folder

LOG = """INFO something ordinary about secret-name.mp4
Traceback (most recent call last):
  File "/opt/someone/cravo/src/cravo/core/footage/probe.py", line 12, in probed
    raise ValueError(path)
ValueError: /home/someone/secret-name.mp4
"""


def test_about_names_versions_and_licences(client):
    found = client.get("/api/about").json()
    packages = {one["name"].lower(): one for one in found["packages"]}
    assert packages["fastapi"]["version"] == version("fastapi")
    assert "MIT" in packages["fastapi"]["licence"]
    assert found["licence"] == "GPL-3.0-or-later"
    assert not any(len(one["licence"]) > 200 for one in found["packages"])


def test_the_diagnostic_file_tells_of_faults_and_names_nothing(client, project, stores, tmp_path, monkeypatch):
    monkeypatch.setenv("CRAVO_DATA", str(tmp_path))
    (data_folder() / "worker.log").write_text(LOG)
    client.post("/api/media?name=secret-name.mp4", content=b"no film")
    client.post("/api/projects", json={"name": "secret project", "media": []})
    answer = client.get("/api/diagnostics")
    assert "attachment" in answer.headers["Content-Disposition"]
    found = answer.json()
    assert found["faults"] == {"worker": [["cravo/core/footage/probe.py:12 probed", "ValueError"]]}
    assert found["parts"] == {"ellipse": 1}
    assert (found["clips"][-1]["width"], found["clips"][-1]["height"]) == (320, 208)
    assert found["work"]["ingest done"] >= 1
    told = json.dumps(found)
    assert not any(word in told for word in ("secret", "someone", "film.mp4", '"p"'))
