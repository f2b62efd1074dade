"""Writing the demo: clips with sound, and their truth beside them.

Run with the place of a clip, `.../conductor.mp4`, this module draws it, and says how many frames are done, one to a line.
"""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Collection
from concurrent.futures import ProcessPoolExecutor
from contextlib import suppress
from fractions import Fraction
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from cravo.core.files import replacing, write
from cravo.core.footage.colour import Colour
from cravo.core.footage.formats import Encoding
from cravo.core.footage.picture import from_frame
from cravo.core.footage.spherical import say_spherical
from cravo.core.footage.writer import SOUND_RATE, Writer
from cravo.demo.conductor import Conductor
from cravo.demo.crowd import Crowd
from cravo.demo.dusk import Dusk
from cravo.demo.hall import Hall
from cravo.demo.platform import Platform
from cravo.demo.roofs import Roofs
from cravo.demo.scene import FRAMES, RATE, Shown
from cravo.demo.stall import Stall
from cravo.demo.tram import TramSide
from cravo.demo.turntable import Turntable
from cravo.demo.yard import Yard

SCENES: dict[str, type[Shown]] = {
    scene.name: scene for scene in (Conductor, Yard, TramSide, Hall, Platform, Turntable, Crowd, Roofs, Dusk, Stall)
}
FIRST = Conductor.name  # the clip that one begins with
QUICKEST = (
    "conductor",
    "platform",
    "yard",
    "tram",
    "turntable",
    "hall",
    "crowd",
    "stall",
    "roofs",
    "dusk",
)  # to draw, in order
Say = Callable[[str], None]


def clips_in(folder: Path) -> dict[str, Path]:
    """Where the demo's clips lie under a folder, by name, drawn or not."""
    return {name: folder / _version() / f"{name}.mp4" for name in SCENES}


def ensure(folder: Path, say: Say = print, only: Collection[str] = tuple(SCENES)) -> dict[str, Path]:
    """Make what is missing of the demo under a folder, or `only` some of it; returns the clips by name."""
    clips = clips_in(folder)
    place = folder / _version()
    place.mkdir(parents=True, exist_ok=True)
    with (place / "drawing").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)  # of two who ask at once the second finds the clips drawn
        missing = [name for name in only if not clips[name].is_file()]
        if missing:
            say(f"Drawing the demo footage ({', '.join(missing)}), once; this takes a minute or two ...")
            # Drawing is single-threaded; a process for each shot uses all cores.
            with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
                list(pool.map(_write, missing, [clips[name] for name in missing]))
            for old in folder.iterdir():
                if old != place:
                    shutil.rmtree(old, ignore_errors=True)
    return clips


def truth_of(clip: Path) -> list[dict]:  # type: ignore[type-arg]
    """The truth of every frame of a demo clip."""
    return json.loads(clip.with_suffix(".truth.json").read_text())["frames"]


def _version() -> str:
    """A name that changes with the drawing code, so that old footage is not kept by mistake."""
    text = b"".join(path.read_bytes() for path in sorted(Path(__file__).parent.glob("*.py")))
    return hashlib.sha256(text).hexdigest()[:12]


def _write(name: str, clip: Path, drawn: Callable[[int], None] = lambda frames: None) -> None:
    scene = SCENES[name]()
    with replacing(clip) as part:
        _film(scene, part, drawn)
        truth = {"title": scene.title, "rate": RATE, "frames": [scene.truth(frame) for frame in range(FRAMES)]}
        write(clip.with_suffix(".truth.json"), json.dumps(truth))


def _film(scene: Shown, path: Path, drawn: Callable[[int], None]) -> None:
    colour = Colour(matrix="bt709", full_range=False)
    sound = _sound(scene)
    writer: Writer | None = None
    for frame in range(FRAMES):
        rgb = VideoFrame.from_ndarray(scene.picture(frame), format="bgr24")
        yuv = rgb.reformat(
            format="yuv420p",
            src_colorspace=colour.scaler_space,
            dst_colorspace=colour.scaler_space,
            src_color_range=2,
            dst_color_range=1,
        )
        picture = from_frame(yuv, colour)
        if writer is None:
            writer = Writer(
                path, Fraction(RATE), picture, Encoding(quality=17, preset="veryfast", key_every=12), sound=True
            )
        writer.write(picture)
        per_frame = SOUND_RATE // RATE
        writer.write_sound(sound[:, frame * per_frame : (frame + 1) * per_frame])
        drawn(frame + 1)
    assert writer is not None
    writer.finish()
    if scene.spherical:
        say_spherical(path)


def _sound(scene: Shown) -> NDArray[np.float32]:
    """Speech over the murmur of a yard and a tram's bell, (2, samples) at 48 kHz."""
    count = FRAMES * SOUND_RATE // RATE
    random = np.random.default_rng(len(scene.name))
    noise = np.cumsum(random.normal(0, 1, count))
    noise -= np.convolve(noise, np.ones(2400) / 2400, "same")
    murmur = noise / max(np.abs(noise).max(), 1e-6) * 0.05
    t = np.arange(count) / SOUND_RATE
    bell = sum(np.sin(2 * np.pi * f * t) * w for f, w in ((1180, 0.5), (2360, 0.25), (3170, 0.15)))
    strike = bell * np.exp(-np.maximum(t - 4.6, 0) * 5) * (t > 4.6) * 0.12
    mix = murmur + strike
    speech = _speech(scene.speech)
    start = SOUND_RATE // 5
    length = min(len(speech), count - start)
    mix[start : start + length] += speech[:length] * 0.7
    return np.stack([mix, np.roll(mix, 12)]).astype(np.float32)


def _speech(text: str) -> NDArray[np.float64]:
    """The sentence spoken by espeak-ng at 48 kHz; silence where it is not installed, or nothing is said."""
    program = shutil.which("espeak-ng")
    if program is None or not text:
        return np.zeros(1)
    wav = subprocess.run([program, "-v", "en", "-s", "165", "--stdout", text], capture_output=True, check=True).stdout
    path = wav.find(b"data") + 8
    rate = int.from_bytes(wav[24:28], "little")
    samples = np.frombuffer(wav[path : len(wav) - (len(wav) - path) % 2], "<i2") / 32768.0
    places = np.arange(int(len(samples) * SOUND_RATE / rate)) * rate / SOUND_RATE
    return np.interp(places, np.arange(len(samples)), samples)


if __name__ == "__main__":
    os.nice(10)  # whoever works meanwhile comes first
    with suppress(KeyboardInterrupt):
        _write(Path(sys.argv[1]).stem, Path(sys.argv[1]), lambda frames: print(frames, flush=True))
