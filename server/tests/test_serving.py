"""The web server beside clients that send slowly, read slowly, or ask for too much: recording goes on."""

import http.client
import socket
import threading
import time

import pytest

from fendo_server import serving

SLOW = 1.5


def application(environ, start_response):
    """Answers at once, after a second, or with more than anybody reads."""
    path = environ["PATH_INFO"]
    if path.startswith("/slow"):
        time.sleep(SLOW)
    start_response("200 OK", [("Content-Type", "application/octet-stream")])
    if path.endswith(".zip"):
        return (bytes(1 << 20) for _ in range(200))
    return [environ["wsgi.input"].read() or b"here"]


@pytest.fixture
def port():
    server = serving.server_of(application, 0)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield server.effective_port
    server.close()
    server.task_dispatcher.shutdown(timeout=0.2)


def ask(port: int, path: str, session: str = "", body: bytes | None = None) -> tuple[float, bytes]:
    """How long the answer took, and what it was."""
    began = time.monotonic()
    client = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    headers = {"Cookie": f"sessionid={session}"} if session else {}
    client.request("PUT" if body is not None else "GET", path, body, headers)
    answer = client.getresponse().read()
    client.close()
    return time.monotonic() - began, answer


def opened(port: int, sent: bytes) -> socket.socket:
    client = socket.create_connection(("127.0.0.1", port))
    client.sendall(sent)
    return client


def beside(port: int) -> list[float]:
    """What somebody else's pieces of sound, and the look whether Fendo is alive, take."""
    pieces = [ask(port, "/api/takes/1/sound/", "ada", b"x" * 14_400) for _ in range(10)]
    assert all(answer == b"x" * 14_400 for _, answer in pieces)
    return [ask(port, "/alive")[0], *(seconds for seconds, _ in pieces)]


def test_hundreds_of_requests_that_never_end_hold_up_nobody(port):
    half = [
        b"GET /alive HTTP/1.1\r\nHost: localhost\r\nX-",
        b"POST /api/treatments/ HTTP/1.1\r\nHost: localhost\r\nContent-Length: 1000\r\n\r\nabc",
        b"PUT /api/takes/2/sound/ HTTP/1.1\r\nHost: localhost\r\nContent-Length: 14400\r\n\r\n",
    ]
    held = [opened(port, half[n % 3]) for n in range(300)]
    assert max(beside(port)) < SLOW
    for one in held:
        one.close()


def test_answers_that_nobody_reads_hold_up_no_recording_and_no_other_room(port):
    held = [opened(port, b"GET /all.zip HTTP/1.1\r\nHost: localhost\r\n\r\n") for _ in range(40)]
    time.sleep(0.3)
    assert max(beside(port)) < SLOW
    assert ask(port, "/api/productions/", "ada")[0] < SLOW
    for one in held:
        one.close()


def test_one_session_leaves_threads_to_the_others_and_what_it_asks_for_is_answered_in_the_end(port):
    many = 2 * serving.THREADS["common"]
    found: list[tuple[float, bytes]] = []
    greedy = [threading.Thread(target=lambda: found.append(ask(port, "/slow", "eve"))) for _ in range(many)]
    for one in greedy:
        one.start()
    time.sleep(0.2)
    assert ask(port, "/api/productions/", "ada")[0] < SLOW / 2
    assert max(beside(port)) < SLOW / 2
    for one in greedy:
        one.join()
    waited = sorted(seconds for seconds, _ in found)
    assert len(found) == many and all(answer == b"here" for _, answer in found)
    assert waited[-1] >= SLOW * many / serving.MOST_FOR_ONE["common"] - 0.1


def test_addresses_have_their_lanes():
    assert serving.lane_of("/api/takes/0b/sound/") == serving.lane_of("/alive") == "recording"
    assert serving.lane_of("/api/lines/0b/takes/") == serving.lane_of("/api/takes/0b/finish/") == "recording"
    assert (
        serving.lane_of("/api/handovers/0b/zip/") == serving.lane_of("/api/productions/0b/takes/found.zip") == "downloads"
    )
    assert serving.lane_of("/api/voices/0b/12/sound/") == serving.lane_of("/api/productions/0b/") == "common"
