"""Sound made longer or shorter without another pitch, by the named program `rubberband`, run under limits."""

import shutil
import subprocess
import tempfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from fendo_core.timebase import SAMPLE_RATE

_SECONDS = 300
_LIMITS = [f"--as={2 << 30}", f"--cpu={_SECONDS}", "--core=0", "--nofile=64"]


class StretchFailed(RuntimeError):
    """The program is missing or ended badly; the message is for the log."""


def stretched(samples: NDArray[np.float32], knots: Sequence[tuple[int, int]]) -> NDArray[np.float32]:
    """Samples with each knot's moment where the knot says, shape (knots[-1][1],).

    Args:
        samples: mono at 48 kHz, shape (n,).
        knots: (sample before, sample after), strictly rising, from (0, 0) to (n, length after).

    Raises:
        StretchFailed: when the program is not there, or ended badly.
    """
    length = knots[-1][1]
    if all(a == b for a, b in knots):
        return samples
    program = shutil.which("rubberband")
    if not program:
        raise StretchFailed("rubberband is not installed")
    with tempfile.TemporaryDirectory(prefix="fendo-stretch-") as name:
        before, after, timemap = Path(name, "before.wav"), Path(name, "after.wav"), Path(name, "map.txt")
        soundfile.write(before, samples, SAMPLE_RATE, subtype="FLOAT")
        timemap.write_text("".join(f"{a} {b}\n" for a, b in knots[1:]))
        # Engine R2: its output has the asked-for length, and plosives stay where they are.
        command = ["prlimit", *_LIMITS, "--", program, "-2", "-q", "--timemap", str(timemap)]
        command += ["-D", f"{length / SAMPLE_RATE:.9f}", str(before), str(after)]
        try:
            done = subprocess.run(command, capture_output=True, check=False, timeout=_SECONDS, stdin=subprocess.DEVNULL)
        except subprocess.TimeoutExpired as error:
            raise StretchFailed("rubberband took too long") from error
        if done.returncode or not after.exists():
            raise StretchFailed(done.stderr.decode(errors="replace")[-400:])
        found, _ = soundfile.read(after, dtype="float32")
    out = np.zeros(length, np.float32)
    out[: min(length, len(found))] = found[:length]
    return out
