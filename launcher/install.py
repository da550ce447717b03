"""What Fendo needs on the machine: Debian packages, a virtual environment of its own, the web application built."""

import ctypes.util
import importlib.util
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

from launcher.steps import DATA, PYTHON, ROOT, VENV, WEB, Refused, Stamp, fingerprint, run, say, step

APT = ["apt-get", "-o", "DPkg::Lock::Timeout=500", "install", "-y", "-qq", "--no-install-recommends"]


def _postgres_bin() -> Path | None:
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: int(p.parts[-3]))
    return found[-1].parent if found else None


def _missing(for_tests: bool) -> list[str]:
    """Debian packages that are not there."""
    packages = {
        "ffmpeg": shutil.which("ffmpeg") and shutil.which("ffprobe"),
        "espeak-ng": shutil.which("espeak-ng"),
        "flite": shutil.which("flite"),
        "rubberband-cli": shutil.which("rubberband"),
        "postgresql": _postgres_bin(),
        "libcairo2": ctypes.util.find_library("cairo"),
        "python3-venv": importlib.util.find_spec("ensurepip"),
        "util-linux": shutil.which("prlimit"),
    }
    if for_tests:
        packages["chromium-headless-shell"] = shutil.which("chromium-headless-shell")
    return [name for name, there in packages.items() if not there]


def debian(for_tests: bool = False) -> None:
    """Install missing Debian packages, or say exactly which and how."""
    missing = _missing(for_tests)
    if not missing:
        return
    by_hand = f"apt-get update && apt-get install --no-install-recommends {' '.join(missing)}"
    if not shutil.which("apt-get"):
        raise Refused(f"These are missing: {', '.join(missing)}. Install them the way this system does, then start again.")
    sudo: list[str] = []
    if os.geteuid() != 0:
        sudo = ["sudo"] if sys.stdin.isatty() else ["sudo", "-n"]
        allowed = shutil.which("sudo") and subprocess.run(
            [*sudo, "true"], check=False, capture_output=not sys.stdin.isatty()
        )
        if not allowed or allowed.returncode:
            raise Refused(f"Fendo may not install here. Ask for these Debian packages, then start again:\n  sudo {by_hand}")
    with step(f"installing from Debian: {', '.join(missing)}"):
        env = {"DEBIAN_FRONTEND": "noninteractive"}
        run([*sudo, "apt-get", "update", "-qq"], env=env)
        run([*sudo, *APT, *missing], env=env)
    still = _missing(for_tests)
    if still:
        raise Refused(f"After installing, these are still missing: {', '.join(still)}. Install them by hand:\n  {by_hand}")


def python(for_tests: bool = False) -> None:
    """The virtual environment with exactly the pinned packages."""
    if not (3, 11) <= sys.version_info[:2] < (3, 13):
        raise Refused(f"Fendo runs on Python 3.11; this one is {sys.version.split()[0]}. Start it with a python3.11.")
    wanted = ROOT / ("requirements-dev.txt" if for_tests else "requirements.txt")
    now = fingerprint([ROOT / "requirements.txt", wanted, ROOT / "constraints.txt"])
    stamp = Stamp(VENV / ".fendo-test" if for_tests else VENV / ".fendo-run", now)
    if stamp.fresh and PYTHON.exists():
        return
    if (
        not PYTHON.exists()
        or subprocess.run([PYTHON, "-m", "pip", "--version"], capture_output=True, check=False).returncode
    ):
        with step("making a virtual environment in .venv"):
            shutil.rmtree(VENV, ignore_errors=True)
            run([sys.executable, "-m", "venv", str(VENV)])
    with step(f"installing Python packages ({wanted.name})"):
        run(
            [
                str(PYTHON),
                "-m",
                "pip",
                "install",
                "-q",
                "--disable-pip-version-check",
                "-r",
                str(wanted),
                "-c",
                "constraints.txt",
            ]
        )
    stamp.set()


def node_packages() -> None:
    """The web application's packages, just as the lock file says."""
    node = shutil.which("node")
    version = re.match(r"v(\d+)", run([node, "--version"])) if node else None
    if not version or int(version[1]) < 20:
        raise Refused("Node 20 or newer is needed to build the web application. Install it with its npm, then start again.")
    stamp = Stamp(WEB / "node_modules" / ".fendo", fingerprint([WEB / "package-lock.json"]))
    if not stamp.fresh:
        with step("installing web packages (npm ci)"):
            run(["npm", "ci", "--no-audit", "--no-fund", "--loglevel=error"], cwd=WEB)
        stamp.set()


def web() -> None:
    """The web application, built when its sources changed."""
    sources = [
        WEB / name for name in ("src", "public", "index.html", "vite.config.ts", "package-lock.json", "tsconfig.json")
    ]
    stamp = Stamp(WEB / "dist" / ".fendo", fingerprint(sources))
    if stamp.fresh:
        return
    node_packages()
    with step("building the web application"):
        run(["npm", "run", "-s", "build"], cwd=WEB)
    stamp.set()


def room_on_disk() -> None:
    """Refuse when the disk is so full that recordings would be at risk."""
    DATA.mkdir(parents=True, exist_ok=True)
    free = shutil.disk_usage(DATA).free
    if free < 1 << 30:
        raise Refused(
            f"The disk with {DATA} has only {free / 1e6:.0f} MB left; Fendo needs 1 GB. Make room, or set FENDO_DATA."
        )
    if free < 5 << 30:
        say(f"  note: {free / 1e9:.1f} GB are left on the disk; an hour of narration takes half a gigabyte")
