"""Deliveries from one end to the other: what arrives is accepted whole or refused with the reasons, whatever comes between."""

import json
import os
import signal
import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

import httpx
import numpy as np
import pytest

from bluffline.cli.main import main
from bluffline.errors import CancelledError, MediaError, SettingsError
from bluffline.media.target import certificate_paths
from bluffline.shift import sending
from bluffline.shift.sending import deliver
from bluffline.survey.monitor import Monitor
from gateways import running, take


def arrived(folder):
    """What has been accepted, by name, each with whether its certificate lies beside it."""
    files = [path for path in (folder / "accepted").iterdir() if "certificate" not in path.name and "findings" not in path.name]
    assert not [path for path in files if path.name.startswith(".")]
    return {path.name: all(each.exists() for each in certificate_paths(path)) for path in files}


@pytest.fixture
def gateway(home, tmp_path):
    with running(tmp_path / "g") as (address, _):
        yield address


def test_a_file_arrives_with_its_certificate_and_twice_is_once(gateway, good_files, tmp_path, capsys):
    file = good_files / "good.mkv"
    assert main(["deliver", str(file), "--to", gateway, "--json", "-"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["accepted"] and told["reasons"] == ["It is what its certificate says, signed by someone who is trusted."]
    assert arrived(tmp_path / "g") == {"good.mkv": True}
    there = tmp_path / "g" / "accepted" / "good.mkv"
    for path, other in zip((file, *certificate_paths(file)), (there, *certificate_paths(there)), strict=True):
        assert path.read_bytes() == other.read_bytes()
    assert deliver(file, gateway, Monitor()).reasons == ("It was accepted before, and is the same.",)
    assert not list((tmp_path / "g" / "checking").iterdir()) and not list((tmp_path / "g" / "uploads").iterdir())


def _change_file(file):
    file.write_bytes(file.read_bytes() + b"\0")


def _strip_signature(file):
    certificate_paths(file).signature.write_bytes(b"{}")


def _swap_verdict(file):
    data = certificate_paths(file).data
    data.write_text(data.read_text().replace('"must_fix":0', '"must_fix":1'))


def _of_another(file):
    other = file.with_name("theirs.mkv")
    for mine, path in zip(certificate_paths(file), certificate_paths(other), strict=True):
        mine.write_bytes(path.read_bytes())


def _no_film(file):
    file.write_bytes(b"no film at all")


FAULTS = {
    _change_file: "is not the file that it is about: its bytes are others",
    _strip_signature: "has been changed",
    _swap_verdict: "Not as it was signed: certificate.json",
    _of_another: "is not the file that it is about",
    _no_film: "is not the file that it is about",
}


def test_of_ten_files_each_is_refused_for_each_fault_and_accepted_without(gateway, good_files, tmp_path, capsys):
    names = sorted(path.name for path in good_files.glob("*.mkv") if path.name != "other.mkv")
    for name in names:
        for number, (spoil, words) in enumerate(FAULTS.items()):
            file = take(good_files / name, tmp_path / f"s{number}")
            take(good_files / "other.mkv", tmp_path / f"s{number}", "theirs.mkv")
            spoil(file)
            decided = deliver(file, gateway, Monitor())
            assert not decided.accepted and words in " ".join(decided.reasons)
        assert name not in arrived(tmp_path / "g") and not list((tmp_path / "g" / "checking").iterdir())
        assert main(["deliver", str(file), "--to", gateway]) == 1 and "REFUSED by" in capsys.readouterr().out
        assert deliver(good_files / name, gateway, Monitor()).accepted, "and what is in order comes after it"
    assert arrived(tmp_path / "g") == dict.fromkeys(names, True) and len(names) == 10
    listed = [each["state"] for each in httpx.get(f"{gateway}/deliveries").json()]
    assert listed == (["accepted"] + ["refused"] * (len(FAULTS) + 1)) * len(names)


def test_nobody_is_trusted_whose_key_was_not_given(good_files, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "elsewhere"))
    with running(tmp_path / "g") as (address, _):
        decided = deliver(good_files / "good.mkv", address, Monitor())
    assert not decided.accepted and "with a key that you don't trust" in decided.reasons[0]


def test_where_other_rules_hold_it_is_judged_by_them(home, good_files, tmp_path):
    with running(tmp_path / "g", "--rules", "strict") as (address, _):
        assert deliver(good_files / "good.mkv", address, Monitor()).accepted
        decided = deliver(good_files / "wide.mkv", address, Monitor())
    assert not decided.accepted
    assert "It was certified under EBU R 103; under" in decided.reasons[0] and "must be fixed; the first:" in decided.reasons[0]


def test_of_two_files_of_one_name_one_is_taken(gateway, good_files, tmp_path):
    one, other = take(good_files / "good.mkv", tmp_path / "a"), take(good_files / "other.mkv", tmp_path / "b", "good.mkv")
    with ThreadPoolExecutor(2) as pool:
        decided = list(pool.map(lambda file: deliver(file, gateway, Monitor()), (one, other)))
    assert sorted(each.accepted for each in decided) == [False, True]
    (refused,) = [each for each in decided if not each.accepted]
    assert refused.reasons == ("Another good.mkv was accepted before; it was left as it is.",)
    there = (tmp_path / "g" / "accepted" / "good.mkv").read_bytes()
    assert there == (one if decided[0].accepted else other).read_bytes()


class _Stops(Monitor):
    """Stops once so much has been sent; notes where it was."""

    def __init__(self, after=None):
        super().__init__()
        self.after, self.seen = after, []

    def at(self, stage, done, total, unit="frames"):
        super().at(stage, done, total, unit)
        if stage == "Deliver":
            self.seen.append(done)
            if self.after is not None and done >= self.after:
                raise CancelledError("Stopped.")


def test_what_was_sent_before_a_stop_is_not_sent_again(gateway, good_files, monkeypatch):
    monkeypatch.setattr(sending, "_PIECE", 500)
    file = good_files / "good.mkv"
    with pytest.raises(CancelledError):
        deliver(file, gateway, _Stops(1500))
    again = _Stops()
    assert deliver(file, gateway, again).accepted
    assert again.seen[:2] == [0, 1500] and again.seen == sorted(again.seen)


def test_a_gateway_that_is_killed_goes_on_where_it_was(home, good_files, tmp_path, monkeypatch):
    monkeypatch.setattr(sending, "_PIECE", 1000)
    file, folder = good_files / "good.mkv", tmp_path / "g"
    rng = np.random.default_rng(4)
    for _ in range(2):
        with running(folder) as (address, process):
            with suppress(CancelledError):
                deliver(file, address, _Stops(int(rng.integers(1, 9000))))
            os.kill(process.pid, signal.SIGKILL)
    with running(folder) as (address, process):
        parts = {"file": file} | dict(zip(sending.CERTIFICATE_PARTS, certificate_paths(file), strict=True))
        with httpx.Client(base_url=address, headers={"Tus-Resumable": "1.0.0"}) as client:
            numbers = {}
            for part, path in parts.items():
                made = client.post("/uploads", headers={"Upload-Length": str(path.stat().st_size)})
                numbers[part] = made.headers["location"].rpartition("/")[2]
                headers = {"Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"}
                assert client.patch(made.headers["location"], headers=headers, content=path.read_bytes()).status_code == 204
            answer = client.post("/deliveries", json={"name": file.name, "parts": numbers})
        os.kill(process.pid, signal.SIGKILL)
    with running(folder) as (address, _):
        for _ in range(200):
            told = httpx.get(f"{address}{answer.headers['location']}").json()
            if told["state"] != "being checked":
                break
            time.sleep(0.1)
    assert told["state"] == "accepted" and arrived(folder) == {"good.mkv": True}
    assert not list((folder / "checking").iterdir())


def test_what_can_not_be_delivered_is_told_in_a_sentence(gateway, good_files, tmp_path, monkeypatch, capsys):
    monkeypatch.setattr(sending, "_TRIES", 2)
    with pytest.raises(SettingsError, match="can't be reached"):
        deliver(good_files / "good.mkv", "http://127.0.0.1:9", Monitor())
    for address in ("folder", "http://[::1", "ftp://127.0.0.1"):
        with pytest.raises(SettingsError, match="is no address of a gateway"):
            deliver(good_files / "good.mkv", address, Monitor())
    file = take(good_files / "good.mkv", tmp_path / "s")
    certificate_paths(file).signature.unlink()
    with pytest.raises(MediaError, match=r"is not there, so good\.mkv is not delivered"):
        deliver(file, gateway, Monitor())
    assert main(["deliver", str(tmp_path / "none.mkv"), "--to", gateway]) == 2
    assert main(["gateway", "--folder", str(tmp_path / "x"), "--host", "0.0.0.0"]) == 2
    assert "needs a --token" in capsys.readouterr().err
    assert main(["gateway", "--folder", str(tmp_path / "g"), "--port", "0"]) == 2
    assert "Another gateway takes deliveries into this folder" in capsys.readouterr().err


def test_a_token_is_asked_for(home, good_files, tmp_path):
    with running(tmp_path / "g", "--token", "pottery") as (address, _):
        for token in ("", "porcelain"):
            with pytest.raises(SettingsError, match="takes no delivery: It asks for a token"):
                deliver(good_files / "good.mkv", address, Monitor(), token)
        assert deliver(good_files / "good.mkv", address, Monitor(), "pottery").accepted
        assert httpx.get(address).status_code == 401 and httpx.get(address, auth=("anybody", "pottery")).status_code == 200
