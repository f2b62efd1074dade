"""SQL in its own files: `queries("media")` gives the statements of media.sql by name."""

import re
from functools import cache
from importlib.resources import files


@cache
def queries(noun: str) -> dict[str, str]:
    text = files(__name__).joinpath(f"{noun}.sql").read_text()
    parts = re.split(r"^-- name: (\w+)\n", text, flags=re.M)
    # A comment line above the next name belongs to that one, not to this statement.
    return {
        name: re.sub(r"^--.*\n?", "", body, flags=re.M).strip()
        for name, body in zip(parts[1::2], parts[2::2], strict=True)
    }
