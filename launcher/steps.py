"""Steps that say what they do and how long it took, and refusals that say what to do."""

import hashlib
import os
import subprocess
import time
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
DATA = Path(os.environ.get("FENDO_DATA") or ROOT / "data").resolve()
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"


class Refused(Exception):
    """Something stands in the way; the message says what, and what to do."""


def say(text: str) -> None:
    """A line for the person who started it."""
    print(text, flush=True)


@contextmanager
def step(doing: str) -> Iterator[None]:
    """Say what is done now, and afterwards how long it took; steps may run side by side."""
    begun = time.monotonic()
    say(f"· {doing} ...")
    yield
    say(f"  {time.monotonic() - begun:.1f} s: {doing}")


def run(command: list[str], cwd: Path = ROOT, env: Mapping[str, str] | None = None, quiet: bool = True) -> str:
    """Run a command to its end; what it printed.

    Raises:
        Refused: when it failed, with its last lines.
    """
    merged = {**os.environ, **(env or {})}
    done = subprocess.run(
        command,
        cwd=cwd,
        env=merged,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE if quiet else None,
        stderr=subprocess.STDOUT if quiet else None,
        text=True,
        errors="replace",
        check=False,
    )
    if done.returncode:
        last = "\n".join((done.stdout or "").strip().splitlines()[-15:])
        raise Refused(
            f"`{' '.join(command[:4])} …` failed:\n{last}\nMend what it says and start again; what was done is kept."
        )
    return done.stdout or ""


def fingerprint(paths: Iterable[Path]) -> str:
    """One short text for the contents of files; folders count with all that lies in them."""
    total = hashlib.sha256()
    for path in paths:
        files = sorted(path.rglob("*")) if path.is_dir() else [path]
        for file in files:
            if file.is_file() and "__pycache__" not in file.parts:
                total.update(str(file.relative_to(ROOT)).encode())
                total.update(file.read_bytes())
    return total.hexdigest()[:32]


class Stamp:
    """Remembers that a step was finished for some inputs. A step that was killed leaves no stamp and is done again."""

    def __init__(self, path: Path, now: str) -> None:
        self.path, self.now = path, now

    @property
    def fresh(self) -> bool:
        """Whether the step was finished for just these inputs."""
        return self.path.exists() and self.path.read_text() == self.now

    def set(self) -> None:
        """The step is finished."""
        self.path.parent.mkdir(parents=True, exist_ok=True)
        self.path.write_text(self.now)
