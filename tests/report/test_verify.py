"""What is said of a file, its certificate and its signature, however they were changed."""

import base64
import json
import shutil
import stat
from threading import Barrier, Thread

import av
import numpy as np
import pytest
from cryptography.hazmat.primitives.asymmetric.ec import SECP256R1, generate_private_key
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from jsonschema import validate

from bluffline.cli.main import main
from bluffline.errors import SettingsError
from bluffline.media.target import certificate_paths
from bluffline.report.forms import schema_of
from bluffline.report.keys import Keys, PublicKey, key_text, load_key
from bluffline.report.signature import canonical
from bluffline.report.verify import verify
from bluffline.rules.rulefile import load_rules
from bluffline.survey.monitor import Monitor
from certificates import copied, forged, told

TRIALS = 2_000


@pytest.mark.parametrize("which", ["certified", "proved"])
def test_what_was_certified_is_verified_and_judged_anew_the_same(which, signers, request):
    file = request.getfixturevalue(which)
    verified = verify(file, None, signers, Monitor(), measure=True)
    assert verified.good, verified.points
    assert [point.about for point in verified.points] == ["certificate", "signer", "verdict", "file", "measured"]
    assert "your own key" in told(verified, "signer").told and "as it says" in told(verified, "measured").told
    data = certificate_paths(file).data.read_bytes()
    assert canonical(json.loads(data)) == data
    validate(json.loads(data), schema_of(json.loads(data)["schema"]))
    validate(verified.report, schema_of("bluffline.verify/1"))


def test_every_changed_byte_of_any_part_is_told(certified, signers, tmp_path):
    file = copied(certified, tmp_path)
    parts = [file, *certificate_paths(file)]
    whole = {path: path.read_bytes() for path in parts}
    rng = np.random.default_rng(26)
    for trial in range(TRIALS):
        path = parts[trial % len(parts)]
        data = bytearray(whole[path])
        how = rng.integers(8)
        place = int(rng.integers(len(data)))
        if how == 0:
            del data[place]
        elif how == 1:
            data.insert(place, int(rng.integers(256)))
        else:
            data[place] ^= int(rng.integers(1, 256))
        path.write_bytes(data)
        if data != whole[path]:  # a byte beside one like it may be put in without a change
            assert not verify(file, None, signers, Monitor()).good, (trial, path.name, place, how)
        path.write_bytes(whole[path])
    assert verify(file, None, signers, Monitor()).good


def test_a_file_that_was_renamed_with_its_certificate_is_still_what_was_certified(certified, signers, tmp_path):
    file = copied(certified, tmp_path)
    for path, other in zip(
        (file, *certificate_paths(file)), (tmp_path / "a.mkv", *certificate_paths(tmp_path / "a.mkv")), strict=True
    ):
        path.rename(other)
    verified = verify(tmp_path / "a.mkv", None, signers, Monitor())
    assert verified.good and told(verified, "file").told.endswith("the file that it is about, called good.mkv then.")


def test_a_link_is_verified_by_the_certificate_of_what_it_leads_to(certified, signers, tmp_path):
    (tmp_path / "link.mkv").symlink_to(certified)
    verified = verify(tmp_path / "link.mkv", None, signers, Monitor())
    assert verified.good and told(verified, "file").told.endswith("called good.mkv then.")


def test_what_is_missing_is_told(certified, signers, tmp_path):
    file = copied(certified, tmp_path)
    paths = certificate_paths(file)
    for path in paths[1:]:
        kept = path.read_bytes()
        path.unlink()
        assert not verify(file, None, signers, Monitor()).good
        path.write_bytes(kept)
    paths.signature.unlink()
    assert told(verify(file, None, signers, Monitor()), "signature").told == "It is not signed: anybody may have written it."
    paths.data.unlink()
    with pytest.raises(SettingsError, match="There is no certificate"):
        verify(file, None, signers, Monitor())


def test_a_certificate_of_another_file_and_the_source_of_a_proof_are_told_from_what_it_is_about(
    certified, proved, over_clip, signers
):
    other = certificate_paths(proved).data
    assert "not the file that it is about: it is another" in told(verify(certified, other, signers, Monitor()), "file").told
    assert "it is the source that was corrected" in told(verify(over_clip, other, signers, Monitor()), "file").told
    assert verify(proved, other, signers, Monitor()).good
    with pytest.raises(SettingsError, match="not named as certificates are"):
        verify(proved, proved, signers, Monitor())


def rewrapped(file, target, change=lambda packet: packet):
    """A file's packets in another one, sound changed."""
    with av.open(str(file)) as source, av.open(str(target), "w") as made:
        made.metadata["title"] = "Another"
        streams = {stream.index: made.add_stream_from_template(stream) for stream in source.streams}
        for packet in source.demux():
            if packet.dts is not None:
                if packet.stream.type == "audio":
                    packet = change(packet)  # noqa: PLW2901
                packet.stream = streams[packet.stream.index]
                made.mux(packet)


def test_which_track_was_changed_is_told(proved, signers, tmp_path):
    data = certificate_paths(proved).data
    rewrapped(proved, tmp_path / "same.mkv")
    wrapped = told(verify(tmp_path / "same.mkv", data, signers, Monitor()), "file")
    assert not wrapped.holds and "what its tracks hold is the same" in wrapped.told

    def louder(packet):
        made = av.Packet(bytes(packet)[:-1] + b"\x7f")
        made.stream, made.pts, made.dts, made.time_base = packet.stream, packet.pts, packet.dts, packet.time_base
        return made

    rewrapped(proved, tmp_path / "louder.mkv", louder)
    sound = told(verify(tmp_path / "louder.mkv", data, signers, Monitor()), "file")
    assert not sound.holds and "track 1 (audio) changed, the others are the same" in sound.told


def test_a_change_that_somebody_else_has_signed_is_not_trusted(proved, signers, tmp_path):
    file = copied(proved, tmp_path)

    def waive(data):
        data["before"]["findings"][0]["waived"] = {"reason": "as meant", "by": "nobody", "at": "2026-11-30T12:00:00+00:00"}

    forged(file, Keys(tmp_path / "theirs").own("Larkmoor, desk 3"), waive)
    verified = verify(file, None, signers, Monitor())
    assert not verified.good and told(verified, "certificate").holds and told(verified, "file").holds
    assert "with a key that you don't trust" in told(verified, "signer").told


def test_what_does_not_find_its_file_good_is_not_verified_whoever_signed_it(proved, certified, signers, tmp_path):
    file = copied(proved, tmp_path)
    forged(file, signers.own(), lambda data: data.update(proved=False))
    assert not told(verify(file, None, signers, Monitor()), "verdict").holds
    file = copied(certified, tmp_path)
    forged(file, signers.own(), lambda data: data.update(must_fix=2))
    assert not told(verify(file, None, signers, Monitor()), "verdict").holds
    forged(file, signers.own(), lambda data: data.update(schema="bluffline.certificate/9"))
    assert not verify(file, None, signers, Monitor()).good


def test_measuring_tells_findings_that_the_certificate_does_not_say_and_other_rules(certified, signers, tmp_path):
    file = copied(certified, tmp_path)
    forged(file, signers.own(), lambda data: data["findings"].clear())
    said = len(json.loads(certificate_paths(certified).data.read_bytes())["findings"])
    measured = told(verify(file, None, signers, Monitor(), measure=True), "measured")
    assert said and not measured.holds and f"{said} that it does not say, 0 that are not there" in measured.told
    other = told(verify(certified, None, signers, Monitor(), measure=True, rules=load_rules("strict")), "measured")
    assert not other.holds and "not the rules that it was judged by" in other.told
    forged(file, signers.own(), lambda data: data["rules"].update(shipped=None))
    assert "give it with --rules" in told(verify(file, None, signers, Monitor(), measure=True), "measured").told
    file.write_bytes(file.read_bytes() + b"\0")
    assert not told(verify(file, None, signers, Monitor(), measure=True, rules=load_rules("r103")), "measured").holds


@settings(max_examples=100, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.binary(max_size=200) | st.recursive(
    st.none() | st.booleans() | st.floats() | st.text(), lambda inner: st.lists(inner) | st.dictionaries(
        st.sampled_from(["schema", "signer", "covers", "at", "signature", "file", "sha256", "rules", "after", "size"]), inner
    )
).map(lambda value: json.dumps(value).encode()), which=st.sampled_from([0, 3]))  # fmt: skip
def test_whatever_stands_in_its_place_is_no_certificate(data, which, certified, signers, tmp_path):
    file = copied(certified, tmp_path)
    certificate_paths(file)[which].write_bytes(data)
    assert not verify(file, None, signers, Monitor(), measure=True).good


# Keys ----------------------------------------------------------------------------------------------------------------


def test_a_key_is_trusted_by_name_until_it_is_revoked(certified, signers, tmp_path):
    given_out, mine = tmp_path / "key.json", Keys(tmp_path / "mine")
    given_out.write_text(key_text(signers.own().public))
    assert not verify(certified, None, mine, Monitor()).good and mine.mine is None, "verifying makes no key"
    mine.trust(load_key(given_out, "Larkmoor"))
    verified = verify(certified, None, mine, Monitor())
    assert verified.good and "Larkmoor, desk 3, whom you trust as Larkmoor, trusted since" in told(verified, "signer").told
    with pytest.raises(SettingsError, match="Another key is trusted as Larkmoor"):
        mine.trust(PublicKey("Larkmoor", mine.own("me").public.data))
    with pytest.raises(SettingsError, match="No key is trusted as Larkmore"):
        mine.revoke("Larkmore", "lost")
    mine.revoke("Larkmoor", "desk stolen")
    assert "desk stolen" in told(verify(certified, None, mine, Monitor()), "signer").told
    assert not verify(certified, None, mine, Monitor()).good
    with pytest.raises(SettingsError, match="was revoked"):
        mine.trust(load_key(given_out, "Larkmoor again"))
    mine.trust(PublicKey("Larkmoor", mine.own().public.data))


def test_two_at_once_make_one_key_that_nobody_else_may_read(tmp_path):
    ready, made = Barrier(8), []

    def make():
        ready.wait()
        made.append(Keys(tmp_path / "k").own("desk").public)

    threads = [Thread(target=make) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(set(made)) == 1 and len(made) == 8
    (path,) = (tmp_path / "k").iterdir()
    assert stat.S_IMODE(path.stat().st_mode) == 0o600 and stat.S_IMODE(path.parent.stat().st_mode) == 0o700
    renamed = Keys(tmp_path / "k").rename("Larkmoor, desk 4").public
    assert renamed.data == made[0].data and Keys(tmp_path / "k").own().name == "Larkmoor, desk 4"
    assert stat.S_IMODE(path.stat().st_mode) == 0o600


def test_a_key_that_cannot_be_used_is_told_and_left(tmp_path):
    keys = Keys(tmp_path)
    elliptic = generate_private_key(SECP256R1()).private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()).decode()
    for text in ("", "# desk\n", "# desk\nrubbish", f"# desk\n{elliptic}", "# \n"):
        (tmp_path / "own.pem").write_text(text)
        with pytest.raises(SettingsError, match="is not a key that can be signed with"):
            keys.own()
        assert (tmp_path / "own.pem").read_text() == text
    for text in ("[1]", "{", '[{"name": "a", "public": "AAAA", "trusted": "now", "revoked": null, "why": ""}]', "[" * 100_000):
        (tmp_path / "others.json").write_text(text)
        with pytest.raises(SettingsError, match="so nobody's is trusted"):
            keys.others()
    for name in ("", " ", "two\nlines", "x" * 201):
        with pytest.raises(SettingsError, match="can't be the name of a key"):
            Keys(tmp_path / "none").rename(name)
    good = base64.b64encode(bytes(32)).decode()
    for data in ("{}", "[]", json.dumps({"name": 1, "public": good}), json.dumps({"name": "a", "public": good[:-4]})):
        (tmp_path / "k.json").write_text(data)
        with pytest.raises(SettingsError, match="is not a public key"):
            load_key(tmp_path / "k.json")


def test_the_commands_say_it_and_tell_by_their_exit_codes(certified, capsys, tmp_path):
    file = copied(certified, tmp_path)
    assert main(["check", str(file), "--certificate", "--force"]) == 0
    capsys.readouterr()
    assert main(["verify", str(file), "--json", "-"]) == 0
    report = json.loads(capsys.readouterr().out)
    assert report["verified"] and report["schema"] == "bluffline.verify/1"
    assert main(["keys", "name", "Larkmoor, desk 5"]) == 0 and main(["keys", "export", str(tmp_path / "k.json")]) == 0
    assert main(["keys", "export", str(tmp_path / "k.json")]) == 2
    capsys.readouterr()
    assert main(["verify", str(file)]) == 0
    assert "verified; its pictures were not judged anew" in capsys.readouterr().out
    shutil.rmtree(tmp_path / "data")  # somebody else's machine
    assert main(["verify", str(file)]) == 1 and "NOT verified" in capsys.readouterr().out
    assert main(["keys", "trust", str(tmp_path / "k.json")]) == 0 and main(["verify", str(file), "--measure"]) == 0
    assert main(["keys"]) == 0 and "Larkmoor, desk 5" in capsys.readouterr().out
    assert main(["keys", "revoke", "Larkmoor, desk 5", "--why", "lost"]) == 0 and main(["verify", str(file)]) == 1
    assert main(["verify", str(tmp_path / "none.mkv")]) == 2
