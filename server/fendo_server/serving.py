"""The web server: waitress, and which of its threads answer what.

Requests are read whole, and answers are written, by one thread that never waits: who sends or reads slowly holds up nobody.
What is answered runs in lanes of threads: recording has one of its own, which nothing else can fill, and so have downloads,
which last as long as somebody reads. No session holds more than a part of a lane.
"""

import re
import resource
import signal
import sys
from collections import defaultdict, deque
from http.cookies import CookieError, SimpleCookie
from typing import Any, Literal, TypeAlias

from waitress.server import create_server
from waitress.task import ThreadedTaskDispatcher

Lane: TypeAlias = Literal["recording", "downloads", "common"]

THREADS: dict[Lane, int] = {"recording": 4, "downloads": 6, "common": 12}
MOST_FOR_ONE: dict[Lane, int] = {"recording": 3, "downloads": 3, "common": 6}
"""Threads of a lane that one session holds at once; what it asks for beyond that waits its turn."""
LARGEST_BODY = 72 << 20
CONNECTIONS = 2_000
IDLE_SECONDS = 60
"""After so long without a byte a connection is closed that waits for nothing."""

_RECORDING = re.compile(r"/alive$|/api/takes/[^/]+/(sound|finish|abandon)/$|/api/lines/[^/]+/takes/$")
_DOWNLOADS = re.compile(r"\.zip$|/zip/$|/files/\d+/$|/recording/$")


def lane_of(path: str) -> Lane:
    """Which lane answers at an address."""
    if _RECORDING.search(path):
        return "recording"
    return "downloads" if _DOWNLOADS.search(path) else "common"


class _Threads(ThreadedTaskDispatcher):
    """The threads of one lane, shared out among those who ask."""

    def __init__(self, most_for_one: int) -> None:
        super().__init__()
        self._most = most_for_one
        self._running: dict[str, int] = defaultdict(int)
        self._waiting: dict[str, deque[Any]] = defaultdict(deque)

    def add_for(self, client: str, channel: Any) -> None:
        """Answer the channel's request when it is the client's turn."""
        with self.lock:
            if self._running[client] >= self._most:
                self._waiting[client].append(channel)
                return
            self._running[client] += 1
        self.add_task(_Turn(self, client, channel))

    def done(self, client: str) -> None:
        """One of the client's requests is answered: on with what waits."""
        with self.lock:
            waiting = self._waiting[client]
            channel = waiting.popleft() if waiting else None
            if channel is None:
                self._running[client] -= 1
                if not self._running[client]:
                    del self._running[client]
                del self._waiting[client]
        if channel is not None:
            self.add_task(_Turn(self, client, channel))


class _Turn:
    """A request that is answered now."""

    def __init__(self, threads: _Threads, client: str, channel: Any) -> None:
        self._threads, self._client, self._channel = threads, client, channel

    def service(self) -> None:
        """Answer it."""
        try:
            self._channel.service()
        finally:
            self._threads.done(self._client)

    def cancel(self) -> None:
        """The server ends."""
        self._channel.cancel()


class Lanes:
    """A dispatcher of waitress that has several sets of threads."""

    def __init__(self) -> None:
        self._lanes = {lane: _Threads(most) for lane, most in MOST_FOR_ONE.items()}

    def set_thread_count(self, _: int) -> None:
        """Begin the threads; how many is told by `THREADS`."""
        for lane, threads in self._lanes.items():
            threads.set_thread_count(THREADS[lane])

    def add_task(self, channel: Any) -> None:
        """Answer the first request of a channel."""
        request = channel.requests[0]
        self._lanes[lane_of(getattr(request, "path", ""))].add_for(_client(request), channel)

    def shutdown(self, cancel_pending: bool = True, timeout: float = 3) -> bool:
        """End all threads."""
        ended = [threads.shutdown(cancel_pending, timeout) for threads in self._lanes.values()]
        return all(ended)


def _client(request: Any) -> str:
    try:
        cookie = SimpleCookie(getattr(request, "headers", {}).get("COOKIE", "")).get("sessionid")
    except CookieError:
        return ""
    return cookie.value if cookie else ""


def server_of(application: Any, port: int) -> Any:
    """A server that answers on loopback; its `run` ends with the process, or with its `close`."""
    lanes = Lanes()
    server = create_server(
        application,
        _dispatcher=lanes,
        host="127.0.0.1",
        port=port,
        ident=None,
        connection_limit=CONNECTIONS,
        channel_timeout=IDLE_SECONDS,
        cleanup_interval=10,
        max_request_body_size=LARGEST_BODY,
        asyncore_use_poll=True,
        recv_bytes=256 << 10,
        clear_untrusted_proxy_headers=True,
        expose_tracebacks=False,
    )
    lanes.set_thread_count(0)
    return server


def main(port: int) -> None:
    """Serve until the process is told to end."""
    from fendo_server.wsgi import application

    _, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (hard, hard))
    server = server_of(application, port)
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: sys.exit(0))
    server.run()


if __name__ == "__main__":
    main(int(sys.argv[1]))
