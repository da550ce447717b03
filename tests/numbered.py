"""Films whose every frame says its number, and what reads the number back: from the canvas, and from a file."""

import subprocess
from fractions import Fraction
from pathlib import Path

import numpy as np
from playwright.sync_api import Page

WIDTH, HEIGHT, BITS = 320, 180, 16
SOUND = {".mp4": "aac", ".webm": "libopus", ".mpg": "mp2"}

READ = """c => {
  const ctx = c.getContext('2d'), wide = c.width / 16
  let n = 0
  for (let bit = 0; bit < 16; bit++) {
    const [r] = ctx.getImageData((bit + 0.5) * wide, c.height / 8, 1, 1).data
    n = n * 2 + (r > 126 ? 1 : 0)
  }
  return n
}"""


def make(path: Path, first: int, count: int, rate: str = "25", codec: str = "libx264") -> Path:
    """A film of `count` frames that say `first`, `first` + 1, ... as sixteen black or white fields; a tone sounds."""
    seconds = str(count / float(Fraction(rate)))
    command = ["ffmpeg", "-y", "-v", "error", "-f", "rawvideo", "-pix_fmt", "gray", "-s", f"{WIDTH}x{HEIGHT}", "-r", rate]
    command += ["-i", "pipe:0", "-f", "lavfi", "-i", f"sine={200 + first // 10}:r=48000:d={seconds}", "-c:v", codec]
    command += ["-pix_fmt", "yuv420p", "-g", "12", "-c:a", SOUND[path.suffix], str(path)]
    with subprocess.Popen(command, stdin=subprocess.PIPE) as ffmpeg:
        for n in range(first, first + count):
            picture = np.full((HEIGHT, WIDTH), 60 + n % 80, np.uint8)
            for bit in range(BITS):
                value = 235 if n >> (BITS - 1 - bit) & 1 else 16
                picture[: HEIGHT // 4, bit * WIDTH // BITS : (bit + 1) * WIDTH // BITS] = value
            ffmpeg.stdin.write(picture.tobytes())
        ffmpeg.stdin.close()
    assert ffmpeg.returncode == 0
    return path


def shown(page: Page) -> int:
    """The number on the canvas."""
    return page.get_by_test_id("picture").evaluate(READ)


def written(path: Path) -> list[int]:
    """The numbers of a film file's frames."""
    command = ["ffmpeg", "-v", "error", "-i", str(path), "-map", "0:v", "-vf", f"scale={WIDTH}:{HEIGHT},format=gray"]
    raw = subprocess.run([*command, "-f", "rawvideo", "-"], capture_output=True, check=True).stdout
    frames = np.frombuffer(raw, np.uint8).reshape(-1, HEIGHT, WIDTH)
    wide = WIDTH // BITS
    fields = np.stack([frames[:, 10:30, n * wide + 5 : n * wide + 15].mean(axis=(1, 2)) > 126 for n in range(BITS)], axis=1)
    return list(fields.astype(int) @ (1 << np.arange(BITS)[::-1]))
