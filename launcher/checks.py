"""./fendo test: every check, in the order in which they fail fastest."""

import contextlib
import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from launcher import install
from launcher.postgres import Cluster
from launcher.steps import PYTHON, ROOT, VENV, WEB, Refused, say, step

BIN = VENV / "bin"
PYTEST = {"core": ["core/tests"], "server": ["server"], "browser": ["tests"]}
PARTS = ["format", "lint", "types", "imports", "unused", "api", "web", *PYTEST]


def _check(doing: str, command: list[str], cwd: Path = ROOT, env: dict[str, str] | None = None) -> None:
    with step(doing):
        done = subprocess.run(
            command, cwd=cwd, env={**os.environ, **(env or {})}, capture_output=True, text=True, check=False
        )
        if done.returncode:
            raise Refused(f"{doing} failed:\n{done.stdout[-6000:]}{done.stderr[-3000:]}")


def _paths() -> dict[str, str]:
    return {"PYTHONPATH": ":".join(str(ROOT / part) for part in ("core", "server", "demo"))}


def _python(parts: list[str]) -> None:
    """Install what the Python side needs, and check it."""
    install.python(for_tests=True)
    if "format" in parts:
        _check("format of the Python files", [str(BIN / "ruff"), "format", "--check", "."])
    if "lint" in parts:
        _check("lint of the Python files", [str(BIN / "ruff"), "check", "."])
    if "imports" in parts:
        _check("import rules between the floors", [str(BIN / "lint-imports")], env=_paths())
    if "types" in parts:
        _check("types of core and server (mypy strict)", [str(BIN / "mypy")])


def _web(parts: list[str], built: bool) -> None:
    """Install what the web side needs, and check it.

    Args:
        built: whether the application itself is wanted too, for tests that use it.
    """
    npx = ["npx", "--no-install"]
    install.node_packages()
    if built:
        install.web()
    if "lint" in parts:
        _check("format and lint of the web files", [*npx, "biome", "ci", "."], WEB)
    if "types" in parts:
        _check("types of the web application (tsc strict)", [*npx, "tsc", "--noEmit"], WEB)
    if "unused" in parts:
        _check("dead code in the web application", [*npx, "knip"], WEB)
    if "web" in parts:
        _check("unit tests of the web application", ["npm", "run", "-s", "test"], WEB)


def _api() -> None:
    """The schema in the repository, and the client made from it, must be what the server says now."""
    with tempfile.TemporaryDirectory() as name:
        schema, client = Path(name, "openapi.yaml"), Path(name, "schema.d.ts")
        manage = [str(PYTHON), "server/manage.py", "spectacular", "--validate", "--fail-on-warn", "--file", str(schema)]
        _check("the API's schema", manage)
        typed = [
            "npx",
            "--no-install",
            "openapi-typescript",
            str(schema),
            "--default-non-nullable=false",
            "-o",
            str(client),
        ]
        _check("the typed client", typed, WEB)
        for made, kept in ((schema, ROOT / "server" / "openapi.yaml"), (client, WEB / "src" / "api" / "schema.d.ts")):
            if made.read_text() != kept.read_text():
                raise Refused(
                    f"{kept.relative_to(ROOT)} is stale. Make it anew:\n"
                    "  .venv/bin/python server/manage.py spectacular --file server/openapi.yaml && (cd web && npm run api)"
                )


@contextlib.contextmanager
def _test_cluster() -> Iterator[str]:
    """A PostgreSQL for the tests alone, gone afterwards."""
    folder = Path(tempfile.mkdtemp(prefix="fendo-test-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "postgres")
    try:
        cluster.make()
        cluster.start()
        cluster.database()
        yield cluster.url()
    finally:
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def check(wanted: list[str]) -> int:
    """Run all parts, or the named ones; pytest's lines close the run."""
    own = [word for word in wanted if word.startswith("-") or "/" in word or "::" in word]
    parts = [word for word in wanted if word not in own] or (PARTS if not own else [])
    unknown = [part for part in parts if part not in PARTS]
    if unknown:
        raise Refused(f"There is no part {', '.join(unknown)}. Parts are {', '.join(PARTS)}.")
    install.debian(for_tests=True)
    built = bool({"server", "browser"} & set(parts) or own)
    with ThreadPoolExecutor() as pool:
        for side in [pool.submit(_python, parts), pool.submit(_web, parts, built)]:
            side.result()
    if "api" in parts:
        _api()
    targets = [target for part in parts for target in PYTEST.get(part, [])]
    if not targets and not own:
        say("all asked-for checks passed")
        return 0
    say("· pytest")
    with _test_cluster() as url:
        env = {**os.environ, "DATABASE_URL": url, "DJANGO_ALLOW_ASYNC_UNSAFE": "true", **_paths()}
        # Two at a time; what looks at the demo stays with one of them (tests/conftest.py).
        workers = [] if own else ["-n", "auto", "--maxprocesses", "2", "--dist", "loadscope", "-rfER"]
        command = [str(PYTHON), "-m", "pytest", *workers, *targets, *own]
        return subprocess.run(command, cwd=ROOT, env=env, stdin=subprocess.DEVNULL, check=False).returncode
