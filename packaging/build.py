"""What a Linux desktop needs of the application besides its code, and a Debian package of all of it.

``python packaging/build.py tree DIR`` puts launcher entry, icons, MIME type, man pages, completions and the watching service
under ``DIR/usr``; ``python packaging/build.py deb DIR`` makes the package, with every library in it as the lock file names it.
"""

import argparse
import gzip
import os
import re
import shutil
import subprocess
import sys
import tempfile
from datetime import UTC, datetime
from pathlib import Path

from argparse_manpage.manpage import Manpage

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import shtab
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QGuiApplication, QImage, QPainter
from PyQt6.QtSvg import QSvgRenderer

import bluffline
from bluffline.cli.completion import files_completed
from bluffline.cli.main import make_parser

HERE = Path(__file__).parent
ROOT = HERE.parent
ICON_SIZES = 16, 22, 24, 32, 48, 64, 128, 256, 512
COMPLETIONS = {
    "bash": "bash-completion/completions/bluffline",
    "zsh": "zsh/vendor-completions/_bluffline",
    "fish": "fish/vendor_completions.d/bluffline.fish",
}
LIBRARIES = "usr/lib/bluffline"
BUILD_ONLY = "editables", "hatchling", "pathspec", "pluggy", "trove_classifiers"  # of the lock file, what runs nothing
MAINTAINER = "The Bluffline developers <developers@bluffline.example>"
LAUNCHER = """#!/bin/sh
# The application's own libraries before all others, for it and for the processes that it starts.
PYTHONPATH=/{libraries}${{PYTHONPATH:+:$PYTHONPATH}} exec /usr/bin/python{python} -s -m bluffline "$@"
"""
OVERRIDES = """# Every library is in the package as its own project builds it, since no release of Debian has all of them.
bluffline: custom-library-search-path
bluffline: duplicate-font-file
bluffline: embedded-library
bluffline: library-not-linked-against-libc
bluffline: national-encoding
bluffline: shared-library-lacks-prerequisites
bluffline: unstripped-binary-or-object
bluffline: unusual-interpreter
"""


def make_tree(root: Path) -> None:
    """Put everything but code and libraries under ``root``/usr."""
    share = root / "usr" / "share"
    _copy(HERE / "bluffline.desktop", share / "applications" / "bluffline.desktop")
    _copy(HERE / "bluffline.xml", share / "mime" / "packages" / "bluffline.xml")
    _copy(HERE / "bluffline-watch@.service", root / "usr" / "lib" / "systemd" / "user" / "bluffline-watch@.service")
    about = (HERE / "app.bluffline.Desk.metainfo.xml").read_text("utf-8")
    about = about.replace("@VERSION@", bluffline.__version__).replace("@DATE@", _made().strftime("%Y-%m-%d"))
    _write(share / "metainfo" / "app.bluffline.Desk.metainfo.xml", about.encode())
    _make_icons(share / "icons" / "hicolor")
    _make_man_pages(share / "man" / "man1")
    parser = make_parser()
    files_completed(parser)
    for shell, place in COMPLETIONS.items():
        _write(share / place, shtab.complete(parser, shell).encode())


def make_deb(folder: Path) -> Path:
    """Make a package for this machine's Debian and processor; its path."""
    with tempfile.TemporaryDirectory() as name:
        root = Path(name) / "root"
        make_tree(root)
        _install_libraries(root / LIBRARIES, Path(name))
        python = f"{sys.version_info.major}.{sys.version_info.minor}"
        _write(root / "usr" / "bin" / "bluffline", LAUNCHER.format(libraries=LIBRARIES, python=python).encode(), 0o755)
        documents = root / "usr" / "share" / "doc" / "bluffline"
        _copy(HERE / "copyright", documents / "copyright")
        changes = f"bluffline ({bluffline.__version__}) unstable; urgency=medium\n\n  * See the project's CHANGELOG.md.\n\n"
        changes += f" -- {MAINTAINER}  {_made().strftime('%a, %d %b %Y %H:%M:%S +0000')}\n"
        _write(documents / "changelog.gz", gzip.compress(changes.encode(), 9, mtime=0))
        _write(root / "usr" / "share" / "lintian" / "overrides" / "bluffline", OVERRIDES.encode())
        processor = subprocess.run(["dpkg", "--print-architecture"], capture_output=True, text=True, check=True).stdout.strip()
        size = sum(path.lstat().st_size for path in root.rglob("*")) // 1024
        control = (HERE / "control").read_text("utf-8").format(
            version=bluffline.__version__, processor=processor, size=size, maintainer=MAINTAINER, python=python,
            after=f"{sys.version_info.major}.{sys.version_info.minor + 1}", needed=", ".join(_system_libraries()),
        )  # fmt: skip
        _write(root / "DEBIAN" / "control", control.encode())
        for script in ("postinst", "prerm"):
            _write(root / "DEBIAN" / script, (HERE / script).read_text("utf-8").format(python=python).encode(), 0o755)
        folder.mkdir(parents=True, exist_ok=True)
        target = folder / f"bluffline_{bluffline.__version__}_{processor}.deb"
        subprocess.run(["dpkg-deb", "--root-owner-group", "-Zxz", "-z1", "--build", root, target], check=True)
        return target


def _install_libraries(target: Path, scratch: Path) -> None:
    """The wheel of this checkout, and what the demo's lock file names, without what serves to build."""
    pip = [sys.executable, "-m", "pip", "--quiet", "--disable-pip-version-check"]
    subprocess.run([*pip, "wheel", "--no-deps", "--wheel-dir", scratch, ROOT], check=True)
    wheel = next(scratch.glob("bluffline-*.whl"))
    into = ["install", "--no-compile", "--no-deps", "--target", target]
    subprocess.run([*pip, *into, "--require-hashes", "-r", ROOT / "requirements-demo.lock"], check=True)
    subprocess.run([*pip, *into, wheel], check=True)
    unused = "bin", "share", "PyOpenColorIO/bin", *(f"{name}*" for name in BUILD_ONLY)
    for path in [found for name in unused for found in target.glob(name)]:
        shutil.rmtree(path, ignore_errors=True)
    for path in sorted(target.rglob("*")):
        if not path.is_symlink():
            path.chmod(0o755 if path.is_dir() else 0o644)


def _system_libraries() -> list[str]:
    """The Debian packages that hold the libraries which the wheels expect."""
    text = (ROOT / "tools" / "system-libraries").read_text("utf-8").split('"')[1]
    return sorted({pair.partition("=")[2] for pair in text.split()} | {"libc6"})


def _make_icons(folder: Path) -> None:
    application = QGuiApplication.instance() or QGuiApplication(["packaging"])
    assert application is not None
    drawing = QSvgRenderer(str(HERE / "bluffline.svg"))
    _copy(HERE / "bluffline.svg", folder / "scalable" / "apps" / "bluffline.svg")
    for size in ICON_SIZES:
        image = QImage(size, size, QImage.Format.Format_ARGB32)
        image.fill(0)
        painter = QPainter(image)
        drawing.render(painter, QRectF(0, 0, size, size))
        painter.end()
        place = folder / f"{size}x{size}" / "apps" / "bluffline.png"
        place.parent.mkdir(parents=True, exist_ok=True)
        image.save(str(place))


def _make_man_pages(folder: Path) -> None:
    """A page for the application, and one for each command, from the parser's own words."""
    whole = make_parser()
    commands = next(each for each in whole._actions if isinstance(each, argparse._SubParsersAction))  # noqa: SLF001
    told = {choice.dest: choice.help or "" for choice in commands._choices_actions}  # noqa: SLF001
    whole.description = "measure, judge, correct and prove programme files"
    _write_page(folder, whole, "bluffline")
    for name, parser in commands.choices.items():
        parser.description = told.get(name, "")
        _write_page(folder, parser, f"bluffline-{name}")


def _write_page(folder: Path, parser: argparse.ArgumentParser, name: str) -> None:
    about = {
        "project_name": name, "version": bluffline.__version__, "description": parser.description or name,
        "date": _made().date(), "manual_section": "1", "manual_title": "Bluffline",
    }  # fmt: skip
    text = str(Manpage(parser, format="pretty", _data=about))
    title = f'.TH "{name.upper()}" "1" "{_made():%Y-%m-%d}" "bluffline {bluffline.__version__}"'
    text = re.sub(r"^(?=['.](?!([A-Z]{1,2}|br|sp|nf|fi)\b))", r"\\&", text, flags=re.MULTILINE)  # ".cube" is no request
    text = re.sub(r"^\.TH .*", f"{title}\n.ad l\n.nh", text, flags=re.MULTILINE)
    text = text.replace(f"\n{parser.prog} \\- ", f"\n{name} \\- ", 1)
    _write(folder / f"{name}.1.gz", gzip.compress(text.encode(), 9, mtime=0))


def _made() -> datetime:
    """When the checkout was committed, so that the same one makes the same package; now where that isn't told."""
    told = subprocess.run(["git", "-C", ROOT, "log", "-1", "--format=%ct"], capture_output=True, text=True, check=False).stdout
    return datetime.fromtimestamp(int(told), UTC) if told.strip() else datetime.now(UTC)


def _copy(source: Path, target: Path) -> None:
    _write(target, source.read_bytes())


def _write(target: Path, data: bytes, mode: int = 0o644) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_bytes(data)
    target.chmod(mode)


def main() -> None:
    """Make what is asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=("tree", "deb"))
    parser.add_argument("folder", type=Path)
    options = parser.parse_args()
    print(make_deb(options.folder) if options.what == "deb" else make_tree(options.folder) or options.folder)


if __name__ == "__main__":
    main()
