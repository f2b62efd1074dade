"""What describes the faces of a project: biometric data, in one file that nothing else knows of and that is deleted with it."""

from __future__ import annotations

from io import BytesIO
from pathlib import Path
from zipfile import BadZipFile

import numpy as np

from cravo.core.files import write
from cravo.core.finders.faces import Oval
from cravo.core.people.describe import FaceView
from cravo.core.people.film import Views

PRIVATE = 0o600  # for who runs Cravo alone


class DescribedFaces:
    """The described faces of every project, a file for each. They are in no database, no backup of one, and no log."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder / "faces"

    def read(self, project: str) -> Views:
        """What was described, by the address of the search; nothing where nobody asked for it, or it was deleted."""
        try:
            with np.load(BytesIO(self._file(project).read_bytes()), allow_pickle=False) as arrays:
                lines = zip(
                    arrays["keys"], arrays["frames"], arrays["ovals"], arrays["seen"], arrays["vectors"], strict=True
                )
                views: dict[str, list[FaceView]] = {}
                for key, frame, oval, seen, vector in lines:
                    one = FaceView(int(frame), Oval(*map(float, oval)), vector if seen else None)
                    views.setdefault(str(key), []).append(one)
                return views
        except (OSError, KeyError, ValueError, BadZipFile):
            return {}

    def there(self, project: str) -> bool:
        return self._file(project).is_file()

    def write(self, project: str, views: Views) -> None:
        lines = [(key, one) for key, every in views.items() for one in every]
        nothing = np.zeros(128, np.float32)
        out = BytesIO()
        np.savez(
            out, allow_pickle=False,
            keys=np.array([key for key, _ in lines], "U64"),
            frames=np.array([one.frame for _, one in lines], np.int64),
            ovals=np.array([one.oval.numbers() for _, one in lines]).reshape(-1, 5),
            seen=np.array([one.vector is not None for _, one in lines], bool),
            vectors=np.array([nothing if one.vector is None else one.vector for _, one in lines]).reshape(-1, 128),
        )  # fmt: skip
        self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        write(self._file(project), out.getvalue())
        self._file(project).chmod(PRIVATE)

    def forget(self, project: str) -> None:
        self._file(project).unlink(missing_ok=True)

    def _file(self, project: str) -> Path:
        return self._folder / f"{project}.npz"
