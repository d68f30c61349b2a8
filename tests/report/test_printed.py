"""The certificate as PDF: what lies in it, that it shows just that, and that every change is told."""

import subprocess
import sys
from contextlib import suppress
from datetime import UTC, datetime
from io import BytesIO

import numpy as np
import pytest
from PIL import Image
from pypdf import PdfReader, PdfWriter

from bluffline.cli.main import main
from bluffline.errors import SettingsError
from bluffline.media.target import CERTIFICATE_PARTS, certificate_paths, put_certificate
from bluffline.report.keys import Keys
from bluffline.report.printed import printed
from bluffline.report.signature import sign
from bluffline.report.verify import print_certificate, verify
from bluffline.survey.monitor import Monitor
from certificates import copied, told

TRIALS = 300
PAGE, SIGNATURE = 2, 3


@pytest.fixture(scope="module")
def on_paper(proved):
    return print_certificate(proved, Monitor())


def test_the_whole_certificate_lies_in_it_and_it_is_the_same_whoever_prints(proved, on_paper, tmp_path):
    pdf, paths = PdfReader(BytesIO(on_paper)), certificate_paths(proved)
    assert {name: data[0] for name, data in pdf.attachments.items()} == {path.name: path.read_bytes() for path in paths}
    facts = pdf.trailer["/Root"]["/Metadata"].get_data().decode()
    assert 'pdfaid:part="3"' in facts and 'pdfaid:conformance="B"' in facts
    assert [float(side) for side in pdf.pages[0].mediabox[2:]] == pytest.approx([595.3, 841.9], abs=0.1), "A4"
    texts = [page.extract_text() for page in pdf.pages]
    assert "Proved legal" in texts[0] and "Signed" in texts[0], "the first sheet says all that has to be known"
    assert [f"{n} of {len(texts)}" in text for n, text in enumerate(texts, 1)] == [True] * len(texts)
    assert "Proved legal" in [entry.title for entry in pdf.outline if not isinstance(entry, list)]
    fonts = [page["/Resources"]["/Font"] for page in pdf.pages]
    names = {str(used[name]["/BaseFont"]) for used in fonts for name in used}
    assert names and all("B612" in name for name in names), "it looks the same wherever it is opened"
    subprocess.run([sys.executable, "-m", "bluffline", "print", proved, "--out", tmp_path / "again.pdf"], check=True)
    assert (tmp_path / "again.pdf").read_bytes() == on_paper


def test_it_is_verified_alone_beside_its_file(proved, on_paper, signers, tmp_path):
    (tmp_path / "c.PDF").write_bytes(on_paper)
    verified = verify(proved, tmp_path / "c.PDF", signers, Monitor(), measure=True)
    assert verified.good, verified.points
    assert told(verified, "print").told == "Its pages are, to the byte, what is signed."
    nobody = verify(proved, tmp_path / "c.PDF", Keys(tmp_path / "keys"), Monitor())
    assert not told(nobody, "signer").holds and "not looked at" in told(nobody, "print").told, "pages of strangers aren't set"


def test_a_name_in_any_letters_is_kept_whole(proved, signers, tmp_path):
    name = tmp_path / '陶器 <b>&"fair".mkv'
    for path, other in zip((proved, *certificate_paths(proved)), (name, *certificate_paths(name)), strict=True):
        other.write_bytes(path.read_bytes())
    (tmp_path / "c.pdf").write_bytes(print_certificate(name, Monitor()))
    assert verify(name, tmp_path / "c.pdf", signers, Monitor()).good


def test_every_change_of_it_is_told(proved, on_paper, signers, tmp_path, monkeypatch):
    monkeypatch.setattr("bluffline.report.verify.printed", lambda _: on_paper)  # as it always is, see above
    path, rng, looked_at = tmp_path / "c.pdf", np.random.default_rng(16), 0
    for trial in range(TRIALS):
        data = bytearray(on_paper)
        place = int(rng.integers(len(data)))
        if trial % 3 == 0:
            del data[place]
        else:
            data[place] ^= int(rng.integers(1, 256))
        path.write_bytes(data)
        with suppress(SettingsError):  # it is no certificate any more
            assert not verify(proved, path, signers, Monitor()).good, (trial, place)
            looked_at += 1
    assert looked_at > TRIALS / 4
    path.write_bytes(on_paper)
    assert verify(proved, path, signers, Monitor()).good


def test_pages_that_show_something_else_than_what_lies_in_it_are_told(proved, on_paper, signers, tmp_path):
    writer = PdfWriter(clone_from=BytesIO(on_paper))
    writer.pages[0].scale_by(0.9)
    writer.write(tmp_path / "c.pdf")
    verified = verify(proved, tmp_path / "c.pdf", signers, Monitor())
    assert not verified.good and told(verified, "certificate").holds
    assert "are not what is signed as it is printed here" in told(verified, "print").told
    writer.add_metadata({"/Producer": "a press"})
    writer.write(tmp_path / "c.pdf")
    assert "can't be told: printed by a press" in told(verify(proved, tmp_path / "c.pdf", signers, Monitor()), "print").told


def test_what_holds_no_certificate_is_refused(proved, signers, tmp_path):
    empty = PdfWriter()
    empty.add_blank_page(100, 100)
    empty.write(tmp_path / "empty.pdf")
    outside = PdfWriter()
    outside.add_blank_page(100, 100)
    for part in CERTIFICATE_PARTS:
        outside.add_attachment(f"../out.{part}", b"{}")
    outside.write(tmp_path / "outside.pdf")
    (tmp_path / "none.pdf").write_bytes(b"%PDF-1.7\nnothing")
    for name in ("empty", "outside", "none"):
        with pytest.raises(SettingsError, match="can't be verified"):
            verify(proved, tmp_path / f"{name}.pdf", signers, Monitor())
    assert not list(tmp_path.parent.glob("out.*"))


def test_a_page_shows_nothing_that_is_not_in_it(proved, signers, tmp_path):
    file = copied(proved, tmp_path)
    paths = certificate_paths(file)
    Image.new("RGB", (64, 64), "red").save(tmp_path / "secret.png")
    paths.page.write_text(f'<title>x</title><img src="file://{tmp_path}/secret.png"><img src="http://localhost:1/x.png"><p>shown')
    parts = {part: path.read_bytes() for part, path in zip(CERTIFICATE_PARTS[:-1], paths[:-1], strict=True)}
    paths.signature.write_bytes(sign(parts, signers.own(), datetime.now(UTC)))
    (page,) = PdfReader(BytesIO(printed(paths))).pages
    assert "shown" in page.extract_text() and not list(page.images)


def test_what_is_not_as_it_was_signed_is_not_printed(proved, tmp_path, capsys):
    file = copied(proved, tmp_path)
    certificate_paths(file)[PAGE].write_text("<h1>Proved legal</h1>")
    with pytest.raises(SettingsError, match=r"is not printed. Not as it was signed: certificate\.html"):
        print_certificate(file, Monitor())
    certificate_paths(file)[SIGNATURE].unlink()
    assert main(["print", str(file)]) == 2 and "It is not signed" in capsys.readouterr().err
    assert main(["print", str(tmp_path / "none.mov")]) == 2 and "There is no certificate" in capsys.readouterr().err


def test_a_print_is_replaced_only_where_that_is_asked_for_and_goes_with_its_certificate(proved, tmp_path, capsys):
    file = copied(proved, tmp_path)
    paths = certificate_paths(file)
    assert main(["print", str(file)]) == 0 and paths.printed.name == "l.mkv.certificate.pdf" and paths.printed.exists()
    assert main(["print", str(file)]) == 2 and "is there already; --force" in capsys.readouterr().err
    assert main(["print", str(file), "--force"]) == 0
    assert main(["print", str(file), "--out", str(tmp_path / "c.txt")]) == 2
    put_certificate(file, {path: path.read_bytes() for path in paths}, force=True)
    assert not paths.printed.exists(), "it was of another certificate"
