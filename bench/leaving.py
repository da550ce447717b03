"""Handing over: how fast voice files are written, a film against ffmpeg alone, and how much memory two hours need.

.venv/bin/python -m bench.leaving           1,200 lines of five seconds in two hours; a film of ten minutes
.venv/bin/python -m bench.leaving --small   a tenth of it
"""

import os
import resource
import subprocess
import sys
import tempfile
import time
from functools import partial
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("core", "server"))]

from launcher.checks import _test_cluster  # noqa: E402

SMALL = "--small" in sys.argv
LINES, SECONDS_A_LINE = (120 if SMALL else 1_200), 6
FILM_MINUTES = 1 if SMALL else 10


def memory() -> float:
    """The most that this process ever held, MB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def measured(what: str, act, sound: float) -> float:
    """Do something; print how long it took against the sound that it wrote."""
    began, worked = time.perf_counter(), time.process_time()
    act()
    wall, own = time.perf_counter() - began, time.process_time() - worked
    told = f"{sound / wall:7.0f} x realtime" if sound else ""
    print(f"{what:<46} {wall:7.1f} s   own processor {own:6.1f} s   {told}   memory {memory():5.0f} MB", flush=True)
    return wall


def film(folder: Path) -> Path:
    """Minutes of moving picture with a tone."""
    path, seconds = folder / "walk.mp4", FILM_MINUTES * 60
    command = ["ffmpeg", "-y", "-v", "error", "-f", "lavfi", "-i", f"testsrc2=s=1280x720:r=25:d={seconds}"]
    command += ["-f", "lavfi", "-i", f"sine=300:r=48000:d={seconds}", "-c:v", "libx264", "-preset", "ultrafast"]
    subprocess.run([*command, "-g", "50", "-pix_fmt", "yuv420p", "-c:a", "aac", str(path)], check=True)
    return path


def run(folder: Path) -> None:
    """All of it, in one process, with the functions that the job calls."""
    import django
    import numpy as np

    django.setup()
    from django.contrib.auth.models import User
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    from fendo_core.audio import pcm
    from fendo_core.handover.order import Order
    from fendo_core.production import edits
    from fendo_core.reader import narrator
    from fendo_core.timebase import SAMPLE_RATE
    from fendo_server.handover.plan import plan
    from fendo_server.handover.writing import Writer
    from fendo_server.picture import services as pictures
    from fendo_server.productions import changes, services
    from fendo_server.work import running
    from fendo_server.work.models import Job
    from testing import record

    texts = ("Nobody at Orsey has ever needed a clock.", "The reeds lean one way; the water tells them which.")
    read_aloud = [narrator.read(text, seed).samples[: 5 * SAMPLE_RATE] for seed in range(10) for text in texts]
    readings = [pcm.from_floats(np.pad(one, (0, 5 * SAMPLE_RATE - len(one)))) for one in read_aloud]

    def edit(production, what) -> None:
        production.refresh_from_db()
        changes.perform(production, ada, production.revision, what)

    def writer(production, name: str, **order) -> Writer:
        production.refresh_from_db()
        (folder / name).mkdir()
        return Writer(production, plan(production, Order(**order)), folder / name)

    class Job1(running.Progress):
        """A progress that nobody looks at."""

        def __init__(self) -> None:
            pass

        def __call__(self, share: float, step: str | None = None) -> None:
            pass

        def part(self, first: float, last: float, step: str | None = None):
            return lambda share: None

    ada = User.objects.create_user("ada")
    long = services.make_production(ada, "Long")
    seconds = LINES * SECONDS_A_LINE
    edit(long, edits.AddClips((edits.Shown(words="A card", length=seconds * SAMPLE_RATE),)))
    edit(long, edits.AddLines("\n".join(f"This is line {n}." for n in range(LINES))))
    for n, line in enumerate(long.lines.all()):
        record(line, readings[n % 20], start=n * SECONDS_A_LINE * SAMPLE_RATE)
        line.refresh_from_db()
    read = LINES * 5.0
    for sound in ("recorded", "treated"):
        one = writer(long, f"lines {sound}", parts=("lines",), sound=sound, edges="handles")
        measured(f"{LINES} lines, {sound}", lambda one=one: [one.line(each) for each in one.plan.leaving], read)
    for sound, between in (("recorded", "silence"), ("treated", "silence"), ("treated", "room tone")):
        one = writer(long, f"voice {sound} {between}", parts=("voice",), sound=sound, between=between)
        write = lambda one=one: one.whole_voice("voice.wav", one.plan.leaving, "", lambda share: None)  # noqa: E731
        measured(f"the whole voice, {seconds / 3600:.1f} h, {sound}, {between}", write, seconds)
    one = writer(long, "mix", parts=("mix",))
    measured(f"the mix, {seconds / 3600:.1f} h", lambda: one.programme("mix.wav", True, lambda share: None), seconds)

    short = services.make_production(ada, "Short")
    source = film(folder)
    arrived = folder / "arrived"
    arrived.write_bytes(source.read_bytes())
    pictures.bring_in(short, ada, "walk.mp4", arrived)
    for job in Job.objects.filter(production=short):
        running.run(str(job.pk))
    edit(short, edits.AddLines("\n".join(f"This is line {n}." for n in range(FILM_MINUTES * 4))))
    for n, line in enumerate(short.lines.all()):
        record(line, readings[n % 20], start=n * 15 * SAMPLE_RATE)
    ratios = []
    for turn in range(3):
        two = writer(short, f"film {turn}", parts=("film",))
        ours = measured(
            f"a film of {FILM_MINUTES} min, untouched", lambda two=two: two.film("f.mp4", Job1(), 0, 1), FILM_MINUTES * 60
        )
        mix = two.path("mix.wav")
        two.programme("mix.wav", True, lambda share: None)
        command = ["ffmpeg", "-y", "-v", "error", "-i", source, "-i", mix, "-map", "0:v", "-map", "1:a", "-c:v", "copy"]
        command += ["-c:a", "aac", "-b:a", "192k", "-movflags", "+faststart", str(folder / "alone.mp4")]
        theirs = measured("ffmpeg alone, with a mix that is there", partial(subprocess.run, command, check=True), 0)
        ratios.append(ours / theirs)
    print("film against ffmpeg:", ", ".join(f"{ratio:.2f}" for ratio in ratios))


def main() -> None:
    """Everything in a database and a folder of its own."""
    with tempfile.TemporaryDirectory(prefix="fendo-bench-") as folder, _test_cluster() as url:
        os.environ |= {
            "DATABASE_URL": url,
            "FENDO_DATA": f"{folder}/data",
            "DJANGO_SETTINGS_MODULE": "fendo_server.settings",
        }
        run(Path(folder))


if __name__ == "__main__":
    main()
