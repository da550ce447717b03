"""The two named codecs programs, ffprobe and ffmpeg, run with fixed argument lists and hard limits.

Every file from outside is hostile: the demuxer is forced after sniffing, only local files are opened, and memory,
processor time, file size and wall-clock time are bounded.
"""

import json
import shutil
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

_MEMORY = 4 << 30
SOUND_MEMORY = 3 << 29
"""Sound needs little; time stamps that lie make ffmpeg fill hours with silence at once."""
_SAFE = ["-nostdin", "-hide_banner", "-loglevel", "error"]
DEMUXERS = (
    "mov",
    "matroska",
    "avi",
    "mpegts",
    "mpeg",
    "flv",
    "asf",
    "wav",
    "w64",
    "caf",
    "flac",
    "mp3",
    "ogg",
    "aac",
    "aiff",
)
"""Kinds of film and sound that are read, as the sniffer and ffmpeg's demuxers call them."""
_INPUT = ["-protocol_whitelist", "file", "-format_whitelist", ",".join(DEMUXERS)]


class CodecFailed(RuntimeError):
    """ffmpeg or ffprobe ended badly; the message is its last words, for the log."""


class Cancelled(Exception):
    """The caller asked to stop; nothing unfinished is left."""


def _limited(program: str, cpu_seconds: int, memory: int = _MEMORY) -> list[str]:
    path = shutil.which(program)
    if not path:
        raise CodecFailed(f"{program} is not installed")
    limits = [f"--as={memory}", f"--cpu={cpu_seconds}", f"--fsize={256 << 30}", "--core=0", "--nofile=256"]
    return ["prlimit", *limits, "--", path]


def probe(path: Path, kind: str, seconds: int = 20) -> dict[str, Any]:
    """ffprobe's streams and format of a sniffed file, as its JSON says.

    Raises:
        CodecFailed: when it can't be read within `seconds`.
    """
    command = [*_limited("ffprobe", seconds), "-hide_banner", "-loglevel", "error", *_INPUT, "-max_pixels", "40000000"]
    command += ["-f", kind, "-show_streams", "-show_format", "-of", "json", f"file:{path}"]
    try:
        done = subprocess.run(command, capture_output=True, timeout=seconds, check=False, stdin=subprocess.DEVNULL)
    except subprocess.TimeoutExpired as error:
        raise CodecFailed("ffprobe took too long") from error
    if done.returncode:
        raise CodecFailed(done.stderr.decode(errors="replace")[-400:] or f"ffprobe ended with {done.returncode}")
    found: dict[str, Any] = json.loads(done.stdout)
    return found


_PAGES_MEMORY = 3 << 30
_PAGE_SECONDS = 20


def pages(verb: str, kind: str, path: Path, folder: Path | None = None, most: int = 1) -> Iterator[dict[str, Any]]:
    """Run the program `fendo_core.picture.pages` under limits; its rows as they come.

    Args:
        most: pages that are expected, for the time that it may take.

    Raises:
        CodecFailed: when it ended badly or took too long.
    """
    seconds = _PAGE_SECONDS + most * 3
    limits = [f"--as={_PAGES_MEMORY}", f"--cpu={seconds}", f"--fsize={64 << 20}", "--core=0", "--nofile=64"]
    command = ["prlimit", *limits, "--", sys.executable, "-I", "-c", _PAGES_START, verb, kind, str(path)]
    command += [str(folder)] if folder else []
    # OpenBLAS and the like would take address space for each core.
    process = subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env={"OMP_NUM_THREADS": "1"}
    )
    assert process.stdout
    limit = threading.Timer(seconds * 2, process.kill)
    limit.start()
    try:
        for row in process.stdout:
            yield json.loads(row)
        if process.wait():
            raise CodecFailed(f"drawing pages ended with {process.returncode}")
    finally:
        limit.cancel()
        process.kill()
        process.wait()


_PAGES_START = (
    f"import sys; sys.path.insert(0, {str(Path(__file__).parents[2])!r}); "
    "from fendo_core.picture.pages import main; sys.exit(main(sys.argv[1:]))"
)


def input_of(path: Path, kind: str) -> list[str]:
    """The arguments that name an outside file as ffmpeg's input."""
    return [*_INPUT, "-max_pixels", "40000000", "-f", kind, "-i", f"file:{path}"]


def transcode(
    arguments: list[str],
    target: Path,
    length_us: int,
    progress: Callable[[float], None],
    seconds: int,
    feed: Iterator[bytes] | None = None,
) -> None:
    """Run ffmpeg into `target`; `progress` hears 0..1 and may raise `Cancelled`.

    Args:
        arguments: inputs and options; the target is added.
        length_us: expected length in microseconds, for the progress.
        seconds: wall-clock and processor limit.
        feed: what goes to ffmpeg's standard input, piece by piece.

    Raises:
        CodecFailed: when it ended badly or too late. The target is gone then.
        Cancelled: from `progress`. The target is gone then.
        Exception: whatever `feed` raises. The target is gone then.
    """
    command = [*_limited("ffmpeg", seconds * 2), *(_SAFE[1:] if feed else _SAFE), "-y", "-progress", "pipe:1"]
    command += [*arguments, f"file:{target}"]
    stdin = subprocess.PIPE if feed else subprocess.DEVNULL
    process = subprocess.Popen(command, stdin=stdin, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    assert process.stdout and process.stderr
    limit = threading.Timer(seconds, process.kill)
    limit.start()
    errors, last_words = process.stderr, list[bytes]()
    listener = threading.Thread(target=lambda: last_words.append(errors.read()[-400:]), daemon=True)
    listener.start()
    spilt = list[BaseException]()
    if feed:
        threading.Thread(target=_pour, args=(feed, process, spilt), daemon=True).start()
    try:
        for row in process.stdout:
            if row.startswith(b"out_time_us=") and row[12:].strip().lstrip(b"-").isdigit():
                progress(min(1.0, max(0.0, int(row[12:]) / max(1, length_us))))
        code = process.wait()
        listener.join()
        if spilt:
            raise spilt[0]
        if code:
            raise CodecFailed(b"".join(last_words).decode(errors="replace") or f"ffmpeg ended with {code}")
    except BaseException:
        process.kill()
        process.wait()
        target.unlink(missing_ok=True)
        raise
    finally:
        limit.cancel()


def _pour(feed: Iterator[bytes], process: "subprocess.Popen[bytes]", spilt: list[BaseException]) -> None:
    """Give ffmpeg what it reads. A feed that fails ends it: it would wait for more for ever."""
    assert process.stdin
    try:
        for piece in feed:
            process.stdin.write(piece)
        process.stdin.close()
    except BrokenPipeError:
        return
    except Exception as error:
        spilt.append(error)
        process.kill()


def read_raw(arguments: list[str], piece: int, seconds: int, memory: int = _MEMORY) -> Iterator[bytes]:
    """Run ffmpeg to its standard output and give that in pieces of `piece` bytes (the last may be short).

    Raises:
        CodecFailed: when it ended badly.
    """
    command = [*_limited("ffmpeg", seconds, memory), *_SAFE, *arguments, "pipe:1"]
    with subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as process:
        assert process.stdout and process.stderr
        errors, last_words = process.stderr, list[bytes]()
        listener = threading.Thread(target=lambda: last_words.append(errors.read()[-400:]), daemon=True)
        listener.start()
        limit = threading.Timer(seconds, process.kill)
        limit.start()
        try:
            while data := process.stdout.read(piece):
                yield data
            if process.wait():
                listener.join()
                raise CodecFailed(b"".join(last_words).decode(errors="replace"))
        finally:
            limit.cancel()
            process.kill()
