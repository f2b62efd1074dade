"""What this Cravo is made of, and the file that is sent along with a fault."""

import json
from importlib.metadata import version

import pytest

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


def test_networks_run_on_what_is_asked_for_and_there(client, monkeypatch):
    import onnxruntime

    from cravo.core.finders.models import providers

    there = ["TensorrtExecutionProvider", "CUDAExecutionProvider", "CPUExecutionProvider"]
    monkeypatch.setattr(onnxruntime, "get_available_providers", lambda: there)
    for asked, used, missing in (
        ("", ["CPU"], None),
        ("cuda", ["CUDA", "CPU"], None),
        ("CUDAExecutionProvider, cpu", ["CUDA", "CPU"], None),
        ("rocm,cuda", ["CUDA", "CPU"], "rocm"),
        ("nonsense", ["CPU"], "nonsense"),
    ):
        monkeypatch.setenv("CRAVO_PROVIDERS", asked)
        providers.cache_clear()
        found = client.get("/api/about").json()
        assert found["runs_on"] == used
        assert missing is None or f"asks for {missing}, which this machine does not have" in found["problem"]
    providers.cache_clear()


def test_a_network_that_does_not_run_there_runs_on_the_cpu(monkeypatch, tmp_path):
    import onnxruntime

    from cravo.core.errors import CravoError
    from cravo.core.finders import models

    tried = []

    def session(path, options, providers):
        tried.append(providers)
        if providers[0] != models.CPU or path.name == "bad.onnx":
            raise RuntimeError("no such device")
        return "opened"

    monkeypatch.setattr(onnxruntime, "InferenceSession", session)
    monkeypatch.setattr(models, "providers", lambda: (("CUDAExecutionProvider", models.CPU), None))
    assert models.opened(tmp_path / "good.onnx", 0) == "opened"
    assert tried == [["CUDAExecutionProvider", models.CPU], [models.CPU]]
    with pytest.raises(CravoError, match="not a network"):
        models.opened(tmp_path / "bad.onnx", 0)
    models.opened.cache_clear()


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
