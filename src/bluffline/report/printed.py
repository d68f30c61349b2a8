"""The certificate on paper: its page as a PDF/A for archives, in which the certificate itself lies whole, to be verified."""

import logging
import zlib
from base64 import b64encode
from collections.abc import Mapping
from dataclasses import dataclass
from importlib import resources
from io import BytesIO
from pathlib import Path, PurePath
from typing import Any

from bluffline.errors import SettingsError
from bluffline.media.target import CERTIFICATE_PARTS, CertificatePaths
from bluffline.report.signature import read_signature

_VARIANT = "pdf/a-3b"  # ISO 19005-3, which lets anything be attached
_FONTS = "B612-Regular", "B612-Bold", "B612Mono-Regular", "B612Mono-Bold"
_NO_PDF = (ValueError, LookupError, TypeError, AttributeError, RecursionError, OverflowError, NotImplementedError, zlib.error)
_MISSING = "libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0"


def printed(paths: CertificatePaths) -> bytes:
    """A signed certificate as PDF: always the same bytes, for as long as the same version prints it.

    Raises
    ------
    OSError : a part of it can't be read
    ValueError : its signature is none
    SettingsError : what prints is not installed
    """
    weasyprint = _weasyprint()
    parts = {path.name: path.read_bytes() for path in paths}
    signed = read_signature(parts[paths.signature.name]).at  # any other time would be another with every print
    inside = weasyprint.URLFetcher(allowed_protocols={"data"})  # a page shows nothing of this machine, or of another
    configured = weasyprint.text.fonts.FontConfiguration()
    sheet = weasyprint.CSS(string="".join(map(_face, _FONTS)), font_config=configured, url_fetcher=inside)
    page = weasyprint.HTML(string=parts[paths.page.name].decode("utf-8", "replace"), url_fetcher=inside)
    attached = [
        weasyprint.Attachment(string=data, name=name, created=signed, modified=signed, relationship="Source")
        for name, data in parts.items()
    ]
    document = page.render(stylesheets=[sheet], font_config=configured)
    document.metadata.attachments = attached
    pdf: bytes = document.write_pdf(pdf_variant=_VARIANT)
    return pdf


def _face(name: str) -> str:
    """A font of ours, as a style sheet has it."""
    family = "B612 Mono" if "Mono" in name else "B612"
    weight = "bold" if name.endswith("Bold") else "normal"
    data = b64encode((resources.files("bluffline.gauges") / "fonts" / f"{name}.otf").read_bytes()).decode()
    return f"@font-face {{ font-family: '{family}'; font-weight: {weight}; src: url('data:font/otf;base64,{data}') }}"


@dataclass(frozen=True)
class Print:
    """A PDF that was read: by what it says that it was made, and the files of the certificate that lie in it, by name."""

    by: str
    parts: Mapping[str, bytes]

    def lay_out(self, folder: Path) -> CertificatePaths:
        """Write the certificate into a folder.

        Raises
        ------
        OSError : it can't be written
        """
        for name, data in self.parts.items():
            (folder / name).write_bytes(data)
        return CertificatePaths(*(folder / name for name in self.parts))


def read_print(pdf: bytes) -> Print:
    """What a PDF holds of a certificate; nothing else of what may lie in it.

    Raises
    ------
    ValueError : there is none in it, or it is no PDF
    """
    import pypdf
    from pypdf.errors import PyPdfError

    logging.getLogger("pypdf").setLevel(logging.CRITICAL)
    try:
        reader = pypdf.PdfReader(BytesIO(pdf))
        facts = reader.metadata
        found = {each.alternative_name or each.name: each.content for each in reader.attachment_list}
        by = str(facts.producer) if facts is not None else ""
    except (PyPdfError, *_NO_PDF) as error:
        raise ValueError("it is no PDF that can be read") from error
    names = [next((name for name in found if name.endswith(f".{part}")), "") for part in CERTIFICATE_PARTS]
    stems = {name.removesuffix(part) for name, part in zip(names, CERTIFICATE_PARTS, strict=True)}
    if not all(names) or len(stems) > 1 or any(PurePath(name).name != name or "\0" in name for name in names):
        raise ValueError("no certificate is attached to it")
    return Print(by, {name: found[name] for name in names})


def printer() -> str:
    """What prints here, as its PDFs name it.

    Raises
    ------
    SettingsError : it is not installed
    """
    return f"WeasyPrint {_weasyprint().__version__}"


def _weasyprint() -> Any:
    try:
        import weasyprint
        import weasyprint.text.fonts
    except OSError as error:  # it is there, and a library of the system's is not
        raise SettingsError(f"Nothing can be printed: text can't be set here; install {_MISSING}.") from error
    logging.getLogger("weasyprint").setLevel(logging.CRITICAL)  # what a page lacks is seen on it
    return weasyprint
