"""A Fendo of one's own, for the benchmarks that look at it in a browser. Its importer has set the path to the tests."""

import contextlib
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

from playwright.sync_api import Playwright, expect, sync_playwright

from harness import World
from launcher.checks import _test_cluster


@contextlib.contextmanager
def own_fendo() -> Iterator[tuple[World, Path, Playwright]]:
    """A Fendo that runs with its worker, its data folder, and what drives browsers; all of it is gone afterwards."""
    expect.set_options(timeout=60_000)
    with _test_cluster() as url, tempfile.TemporaryDirectory() as name, sync_playwright() as driver:
        os.environ["DATABASE_URL"] = url
        world = World(Path(name))
        try:
            world.begin("web")
            world.begin("worker")
            yield world, Path(name), driver
        finally:
            world.close()
