"""The gateway's protocol, request by request: an upload is what arrived whole, and nothing else is touched."""

import base64
import errno
import hashlib
import json
import os
import shutil
import signal
import socket
import subprocess
import threading
import time
from pathlib import Path
from types import SimpleNamespace

import httpx
import pytest
import uvicorn
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bluffline.gateway import uploads as module
from bluffline.gateway.application import application
from bluffline.gateway.deliveries import PARTS, Deliveries
from bluffline.gateway.uploads import Uploads
from bluffline.report.keys import Keys
from bluffline.rules.rulefile import load_rules
from bluffline.shift.sending import deliver
from bluffline.survey.monitor import Monitor

TUS = {"Tus-Resumable": "1.0.0"}
PIECE = {**TUS, "Content-Type": "application/offset+octet-stream"}


@pytest.fixture
def made(tmp_path):
    rules = load_rules("r103")
    deliveries = Deliveries(tmp_path / "g", Keys(), rules)
    uploads = Uploads(tmp_path / "g" / "uploads")
    yield application(uploads, deliveries, rules, "", ["127.0.0.1"])
    deliveries.close()


class _Counted:
    """An application, and how often its page was asked for."""

    def __init__(self, app):
        self.app, self.pages = app, 0

    async def __call__(self, scope, receive, send):
        self.pages += scope.get("path") == "/"
        await self.app(scope, receive, send)


@pytest.fixture
def served(made):
    """The application on a port of this machine."""
    counted = _Counted(made)
    listening = socket.create_server(("127.0.0.1", 0))
    server = uvicorn.Server(uvicorn.Config(counted, log_config=None, ws="none", lifespan="off"))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]})
    thread.start()
    yield counted, f"http://127.0.0.1:{listening.getsockname()[1]}"
    server.should_exit = True
    thread.join()
    listening.close()


@pytest.fixture
def client(served):
    with httpx.Client(base_url=served[1], timeout=60) as client:
        yield client


def begun(client, length):
    answer = client.post("/uploads", headers={**TUS, "Upload-Length": str(length)})
    assert answer.status_code == 201
    return answer.headers["location"]


def offset(client, url):
    answer = client.head(url, headers=TUS)
    return int(answer.headers["upload-offset"]) if answer.status_code == 200 else None


def add(client, url, at, data, **headers):
    return client.patch(url, headers={**PIECE, "Upload-Offset": str(at), **headers}, content=data)


def sha256(data):
    return {"Upload-Checksum": f"sha256 {base64.b64encode(hashlib.sha256(data).digest()).decode()}"}


def test_the_protocol_is_told(client):
    answer = client.options("/uploads")
    assert answer.headers["tus-version"] == "1.0.0" and "checksum" in answer.headers["tus-extension"]
    url = begun(client, 6)
    assert add(client, url, 0, b"pot", **sha256(b"pot")).headers["upload-offset"] == "3" and offset(client, url) == 3
    assert client.head(url, headers=TUS).headers["cache-control"] == "no-store"
    assert client.delete(url, headers=TUS).status_code == 204 and offset(client, url) is None


def test_what_is_not_as_it_should_be_changes_nothing(client):
    url = begun(client, 6)
    add(client, url, 0, b"po")
    for status, answer in (
        (409, add(client, url, 0, b"t")),
        (409, add(client, url, 3, b"t")),
        (413, add(client, url, 2, b"ttery")),
        (415, client.patch(url, headers={**TUS, "Upload-Offset": "2"}, content=b"t")),
        (412, client.patch(url, headers={"Upload-Offset": "2"}, content=b"t")),
        (460, add(client, url, 2, b"t", **sha256(b"x"))),
        (400, add(client, url, 2, b"t", **{"Upload-Checksum": "md5 abc"})),
        (400, add(client, url, 2, b"t", **{"Upload-Checksum": "sha256 ???"})),
        (400, add(client, url, "-2", b"t")),
        (404, add(client, "/uploads/" + "0" * 32, 0, b"t")),
        (404, add(client, "/uploads/..%2Fdeliveries", 0, b"t")),
        (400, client.post("/uploads", headers={**TUS, "Upload-Length": "many"})),
        (413, client.post("/uploads", headers={**TUS, "Upload-Length": "9" * 18})),
        (400, client.post("/uploads", headers={**TUS, "Upload-Length": "1", "Upload-Metadata": "filename ???"})),
        (400, client.get("/", headers={"Host": "elsewhere.example"})),
    ):
        assert answer.status_code == status, answer.text
        assert offset(client, url) == 2


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    data=st.binary(max_size=400),
    acts=st.lists(st.tuples(st.integers(-3, 60), st.integers(-2, 2), st.booleans(), st.booleans()), max_size=25),
)
def test_an_upload_is_what_was_sent_whatever_goes_wrong_between(client, data, acts):
    url = begun(client, len(data))
    for size, beside, checked, spoiled in acts:
        at = offset(client, url)
        piece = data[at : at + max(size, 0)]
        sent = piece + b"!" if spoiled else piece
        headers = sha256(piece) if checked or spoiled else {}
        answer = add(client, url, max(at + beside, 0), sent, **headers)
        good = max(at + beside, 0) == at and not spoiled
        assert answer.status_code == 204 if good else answer.status_code in (409, 413, 460)
        assert offset(client, url) == at + (len(piece) if good else 0)
    at = offset(client, url)
    assert add(client, url, at, data[at:]).status_code == 204 and offset(client, url) == len(data)


def test_a_full_disk_is_told_and_leaves_what_was_there(client, monkeypatch):
    url = begun(client, 6)
    add(client, url, 0, b"po")

    def full(*_):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(module.os, "write", full)
    answer = add(client, url, 2, b"tt")
    assert answer.status_code == 507 and "No space left" in answer.json()["error"]
    monkeypatch.undo()
    assert offset(client, url) == 2
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=100))
    assert client.post("/uploads", headers={**TUS, "Upload-Length": "1"}).status_code == 507


def whole(client):
    """An upload of nothing for each part of a delivery."""
    return {part: begun(client, 0).rpartition("/")[2] for part in PARTS}


@pytest.mark.parametrize("name", ["", ".", "..", "../x.mov", "a/b.mov", ".x.mov", "x\n.mov", "x\0.mov", "\ud800.mov", "x" * 181,
                                  "x.mov.certificate.json", "x.mov.certificate.pdf"])  # fmt: skip
def test_a_name_that_would_leave_its_folder_is_refused(client, name, tmp_path):
    text = '{"name": ' + json.dumps(name) + ', "parts": ' + json.dumps(whole(client)) + "}"
    answer = client.post("/deliveries", content=text)
    assert answer.status_code == 422 and not list((tmp_path / "g" / "checking").iterdir())


def test_parts_that_are_missing_or_not_there_yet_are_told(client):
    parts = whole(client)
    assert client.post("/deliveries", json={"name": "a.mov", "parts": {"file": parts["file"]}}).status_code == 422
    assert client.post("/deliveries", json={"name": "a.mov", "parts": parts | {"file": "0" * 32}}).status_code == 404
    twice = client.post("/deliveries", json={"name": "a.mov", "parts": parts | {"file": parts["findings.csv"]}})
    assert twice.status_code == 422
    behind = begun(client, 5).rpartition("/")[2]
    answer = client.post("/deliveries", json={"name": "a.mov", "parts": parts | {"file": behind}})
    assert answer.status_code == 409 and answer.json()["error"] == "Not all of it has arrived yet: file."
    taken = client.post("/deliveries", json={"name": "a.mov", "parts": parts})
    assert taken.status_code == 202 and client.post("/deliveries", json={"name": "a.mov", "parts": parts}).status_code == 404
    for _ in range(100):
        told = client.get(taken.headers["location"]).json()
        if told["state"] == "refused":
            break
        time.sleep(0.05)
    assert told["state"] == "refused" and told["reasons"]


_KEYS = st.sampled_from(["name", "parts", "file"])
_BODIES = st.recursive(st.none() | st.text() | st.integers(), lambda inner: st.lists(inner) | st.dictionaries(_KEYS, inner))


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(body=st.binary(max_size=100) | _BODIES.map(lambda value: json.dumps(value).encode()))
def test_whatever_is_handed_in_is_answered(client, body):
    assert 400 <= client.post("/deliveries", content=body).status_code < 500


def test_a_body_that_does_not_end_is_cut_off(client):
    assert client.post("/deliveries", content=b" " * (1 << 17)).status_code == 413


def test_a_line_that_breaks_leaves_what_was_there(served, tmp_path):
    _, address = served
    with httpx.Client(base_url=address) as client:
        url = begun(client, 1000)
        add(client, url, 0, b"x" * 100)
        port = int(address.rpartition(":")[2])
        with socket.create_connection(("127.0.0.1", port)) as line:
            asked = {**PIECE, "Host": "127.0.0.1", "Upload-Offset": 100, "Content-Length": 900}
            head = "".join(f"{name}: {value}\r\n" for name, value in asked.items())
            line.sendall(f"PATCH {url} HTTP/1.1\r\n{head}\r\n".encode() + b"y" * 400)
            time.sleep(0.3)
            assert add(client, url, 100, b"z").status_code == 423, "one writes at a time"
        for _ in range(50):
            if add(client, url, 100, b"z").status_code == 204:
                break
            time.sleep(0.1)
        assert offset(client, url) == 101
    (path,) = [each for each in (tmp_path / "g" / "uploads").iterdir() if not each.suffix]
    assert path.read_bytes() == b"x" * 100 + b"z"


def test_much_is_taken_in_little_memory(served):
    _, address = served
    size, block = 256 << 20, bytes(1 << 20)
    with httpx.Client(base_url=address, timeout=120) as client:
        url = begun(client, size)
        before = _resident()
        answer = client.patch(url, headers={**PIECE, "Upload-Offset": "0"}, content=(block for _ in range(size >> 20)))
        assert answer.status_code == 204 and offset(client, url) == size
        assert _resident() - before < 64 << 20
        assert client.delete(url, headers=TUS).status_code == 204


def _resident():
    return os.sysconf("SC_PAGE_SIZE") * int(Path("/proc/self/statm").read_text().split()[1])


@pytest.mark.skipif(shutil.which("chromium") is None, reason="no browser is installed")
def test_the_page_shows_what_was_decided_and_renews_itself(home, served, good_files, tmp_path):
    counted, address = served
    browser = ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", f"--user-data-dir={tmp_path / 'b'}"]

    def seen():
        return subprocess.run([*browser, "--dump-dom", address], capture_output=True, text=True, timeout=120, check=True).stdout

    assert "Nothing was delivered yet" in seen()
    assert deliver(good_files / "good.mkv", address, Monitor()).accepted
    assert "good.mkv" in (text := seen()) and "It is what its certificate says" in text
    before, until = counted.pages, time.monotonic() + 60
    command = [*browser, "--remote-debugging-port=0", address]
    with subprocess.Popen(command, stderr=subprocess.DEVNULL, start_new_session=True) as open_page:
        while counted.pages < before + 3 and time.monotonic() < until:
            time.sleep(0.2)
        os.killpg(open_page.pid, signal.SIGKILL)
    assert counted.pages >= before + 3, "it asks again by itself"
