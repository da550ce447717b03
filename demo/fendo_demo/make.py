"""Makes the demo account and its productions; what is there already is kept. Run by ./fendo start.

The faults of the made takes are written to `demo-truth.json` in the data folder, for tests; the application never reads it.
"""

import json
import os
import sys
import time
from pathlib import Path

import django


def main() -> None:
    """Make what is missing."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "fendo_server.settings")
    django.setup()
    from django.conf import settings
    from django.contrib.auth import get_user_model

    from fendo_demo import scenario
    from fendo_server.productions.models import Production

    user, _ = get_user_model().objects.get_or_create(username="demo")
    truth, made = settings.DATA / "demo-truth.json", settings.DATA / "demo-made.json"
    # A data folder of before there was a list has the film alone.
    done = json.loads(made.read_text()) if made.exists() else [scenario.NAME] if truth.exists() else []
    if "--anew" in sys.argv:
        done = []
    found = json.loads(truth.read_text()) if done else {}
    makers = (
        (scenario.SPOT.name, make_spot),
        (scenario.TALK, make_talk_production),
        (scenario.LESSON, make_lesson),
        (scenario.NAME, make_film_production),
    )
    for name, make in makers:
        begun = Production.objects.filter(owner=user, name=name).first()
        if name in done:
            continue
        if begun:
            # Asked for, or a start that was killed in the middle: then nobody has worked in the half-made one yet.
            _forget(begun)
        started = time.monotonic()
        found |= make(user)
        done.append(name)
        truth.write_text(json.dumps(found, indent=1))
        made.write_text(json.dumps(done))
        print(f"  made “{name}” in {time.monotonic() - started:.0f} s", flush=True)


def make_film_production(user) -> dict:
    """The film production, with its film drawn first."""
    from django.conf import settings

    from fendo_demo.film import make_film

    film = settings.DATA / "demo-film.mp4"
    if not film.exists():
        started = time.monotonic()
        making = film.with_suffix(".making.mp4")
        make_film(making)
        making.replace(film)
        print(f"  drew the demo film in {time.monotonic() - started:.0f} s", flush=True)
    return make_production(user, film)


def _forget(production) -> None:
    import shutil

    from django.conf import settings

    from fendo_server.takes.models import Pick, Take

    Pick.objects.filter(line__production=production).delete()
    production.clips.all().delete()
    production.laid.all().delete()
    production.comps.all().delete()
    Take.objects.filter(line__production=production).delete()
    production.recordings.all().delete()
    directory = production.directory
    production.delete()
    shutil.rmtree(settings.MEDIA / directory, ignore_errors=True)


def make_production(user, film: Path, quick: bool = False) -> dict:
    """The film production with its lines, slots, takes and picks; what is known to be wrong with each take.

    `quick` reads only the first take of each line, for tests.
    """
    import shutil

    from fendo_demo import scenario
    from fendo_server.productions import services

    production = services.make_production(user, scenario.NAME, scenario.READER, scenario.LANDING)
    for name in scenario.FOLDERS:
        services.make_folder(production, None, name)

    arrived = Path(shutil.copy(film, film.parent / "demo-arriving"))
    _bring_in(production, user, f"{scenario.NAME}.mp4", arrived)
    truth = _lines(production, user, scenario.LINES, scenario.SAYINGS, quick)
    _ready(production)
    return truth


def make_spot(user, quick: bool = False) -> dict:
    """The spot without picture, which has to last its exact length; its last line has a reader of its own."""
    from fendo_core.production import edits
    from fendo_core.timebase import SAMPLE_RATE
    from fendo_demo import scenario
    from fendo_server.productions import changes, services

    spot = scenario.SPOT
    production = services.make_production(user, spot.name, spot.reader, scenario.LANDING)
    production.wanted_length = spot.seconds * SAMPLE_RATE
    production.start_frame = 0
    production.pace = 4.9
    production.save()
    other = services.make_reader(production, spot.other_reader)
    truth = _lines(production, user, spot.lines, spot.sayings, quick)
    production.refresh_from_db()
    last = production.lines.last()
    changes.perform(production, user, production.revision, edits.SetReader((str(last.id),), str(other.id)))
    _ready(production)
    return truth


def _bring_in(production, user, name: str, path: Path) -> str:
    """A made file brought in and prepared; the identity of what it has become."""
    from django.db import transaction

    from fendo_server.picture import services as picture
    from fendo_server.work import running
    from fendo_server.work.models import Job

    # A worker that runs meanwhile sees the job when it is done: a second attempt would take away what the first makes.
    with transaction.atomic():
        source = picture.bring_in(production, user, name, path)
        job = Job.objects.get(production=production, arguments__source=str(source.id))
        running.run(str(job.pk))
    job.refresh_from_db()
    if job.state != Job.State.DONE:
        raise RuntimeError(f"{name} could not be prepared: {job.error}")
    return str(source.id)


def make_lesson(user, quick: bool = False) -> dict:
    """The lesson: slides whose notes have become lines, each slide as long as its words; the first two are read."""
    from django.conf import settings

    from fendo_core.production import edits
    from fendo_demo import scenario
    from fendo_demo.lesson import make_slides
    from fendo_server.productions import changes, services

    production = services.make_production(user, scenario.LESSON, scenario.LESSON_READER, scenario.LANDING)
    production.start_frame, production.pace = 0, 4.0
    production.save()
    settings.DATA.mkdir(parents=True, exist_ok=True)
    slides = _bring_in(production, user, "Knots.pdf", make_slides(settings.DATA / "demo-slides.pdf"))
    production.refresh_from_db()
    changes.perform(production, user, production.revision, edits.LinesFromNotes(slides))
    truth = {}
    for number, line in enumerate(production.lines.all()[: 1 if quick else 2], start=1):
        take, known = read_take(line, 900 + number, "none")
        truth[str(take.id)] = known
        production.refresh_from_db()
        changes.perform(production, user, production.revision, edits.Pick(str(line.id), str(take.id)))
    _ready(production)
    return truth


def make_talk_production(user, quick: bool = False) -> dict:
    """The interpreted talk: the original, of which the speaker's channel is taken, and a reading for each sentence."""
    from django.conf import settings

    from fendo_core.production import edits
    from fendo_demo import scenario
    from fendo_demo.talk import make_talk
    from fendo_server.productions import changes, services

    production = services.make_production(user, scenario.TALK, scenario.TALK_READER, scenario.LANDING)
    production.start_frame, production.headphones, production.monitor = 0, True, "original"
    production.save()
    settings.DATA.mkdir(parents=True, exist_ok=True)
    path = settings.DATA / "demo-talk.wav"
    spans = make_talk(path)
    _bring_in(production, user, "Evening talk.wav", path)

    def edit(what: edits.Edit) -> None:
        production.refresh_from_db()
        changes.perform(production, user, production.revision, what)

    sound = production.laid.get()
    edit(edits.SetSound(str(sound.id), channel="left", level=-3.0, bed="ducked"))
    edit(edits.AddLines("\n".join(sentence.reading for sentence in scenario.SENTENCES)))
    truth = {}
    for number, (line, span) in enumerate(zip(production.lines.all(), spans, strict=True), start=1):
        edit(edits.SetSlot(str(line.id), span))
        line.refresh_from_db()
        if number <= (1 if quick else 3):
            take, known = read_take(line, 700 + number, "none")
            truth[str(take.id)] = known
            edit(edits.Pick(str(line.id), str(take.id)))
    _ready(production)
    return truth


def _lines(production, user, told_lines, sayings: dict[str, str], quick: bool) -> dict:
    """The lines of a scenario with slots, notes, takes and picks; what is known of each take."""
    from fendo_core.production import edits
    from fendo_core.timebase import Span, milliseconds
    from fendo_server.productions import changes
    from fendo_server.takes.models import Take

    def edit(what: edits.Edit) -> None:
        production.refresh_from_db()
        changes.perform(production, user, production.revision, what)

    edit(edits.AddLines("\n".join(line.text for line in told_lines)))
    for word, said in sayings.items():
        edit(edits.SetSaying(word, said))
    truth: dict = {}
    for number, (line, told) in enumerate(zip(production.lines.all(), told_lines, strict=True), start=1):
        start = milliseconds(told.starts * 100)
        edit(edits.SetSlot(str(line.id), Span(start, start + milliseconds(told.lasts * 100))))
        if told.notes:
            edit(edits.SetNotes(str(line.id), told.notes))
        if told.stress:
            edit(edits.SetStress(str(line.id), told.stress))
        line.refresh_from_db()
        made: list[Take] = []
        for count, fault in enumerate(told.takes[:1] if quick else told.takes, start=1):
            take, known = read_take(line, number * 100 + count, fault)
            made.append(take)
            truth[str(take.id)] = known
        if quick:
            continue
        for aside in told.aside:
            edit(edits.SetAside(str(made[aside - 1].id), True))
        if told.pick:
            edit(edits.Pick(str(line.id), str(made[told.pick - 1].id)))
    return truth


def _ready(production) -> None:
    production.refresh_from_db()
    production.input = {"device": "simulated", "label": "Simulated reader", "channel": 0, "fault": "none"}
    production.save(update_fields=["input"])
    # The demo begins as a fresh desk: nobody should undo their way into how it was made.
    production.changes.all().delete()


def read_take(line, seed: int, fault: str):
    """One take of the simulated reader through the same doors as a recorded one; (take, what is known of it)."""
    from fendo_core.audio import pcm
    from fendo_core.reader import narrator
    from fendo_server.booth import capture

    reading = narrator.read(line.text, seed, fault=fault)
    take = capture.begin(line, "Simulated reader")
    samples = pcm.from_floats(_worn(reading, seed))
    for at in range(0, len(samples), 240_000):
        capture.append(take, at, pcm.from_integers(samples[at : at + 240_000]))
    clock = {"capture": [[0, 0]], "transport": [[reading.cue, line.slot_start]], "source": "none"}
    take = capture.finish(take, len(samples), [clock], cut_off=False)
    known = {
        "fault": fault,
        "seed": seed,
        "speech": [reading.speech_start, reading.speech_end],
        "start": take.recording.start,
    }
    return take, known


def _worn(reading, seed: int):
    """A reading with what readings have: a click of the tongue behind the last word, a plosive on the first one, hum."""
    import numpy as np

    from fendo_core.reader import noises
    from fendo_core.timebase import milliseconds

    rng, worn = np.random.default_rng([seed, 29]), []
    if seed // 100 % 3 == 0:
        worn.append((reading.speech_end + milliseconds(160), noises.mouth_click(-30.0, rng)))
    if seed // 100 % 4 == 1:
        worn.append((reading.speech_start, noises.pop(-9.0, rng)))
    if seed // 100 == 6:
        worn.append((0, noises.hum(len(reading.samples), -60.0, rng)))
    return np.clip(noises.sprinkle(reading.samples, worn), -1.0, 1.0)


if __name__ == "__main__":
    sys.exit(main())
