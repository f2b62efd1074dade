"""The most memory that a process took.

`ru_maxrss` of a child begins with what its parent had when the child was started (Linux, exec_mmap), so that a small
process that a large one starts looks large. The high-water mark of its own memory is counted here, VmHWM.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path


def peak(process: int | str = "self") -> float:
    """The most that a process has had in memory so far, in MiB; 0 where it has ended."""
    try:
        lines = Path(f"/proc/{process}/status").read_text().splitlines()
    except OSError:
        return 0.0
    return next((int(line.split()[1]) / 1024 for line in lines if line.startswith("VmHWM")), 0.0)


def peak_of(statement: str) -> float:
    """The most that a Python process took that runs a statement, in MiB; what it starts itself is not counted."""
    code = f"import sys, os; sys.path[:0] = [os.getcwd()]\n{statement}\nfrom bench.memory import peak; print(peak())"
    done = subprocess.run(
        [sys.executable, "-c", code], check=True, cwd=Path(__file__).parents[1], capture_output=True, text=True
    )
    return float(done.stdout.split()[-1])
