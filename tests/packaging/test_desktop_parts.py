"""What a Linux desktop is given: entry, icons, MIME type, man pages, completions and the watching service; and the wheel."""

import configparser
import gzip
import importlib.util
import json
import os
import shutil
import subprocess
import sys
import venv
import zipfile
from pathlib import Path
from xml.etree import ElementTree as ET

import pytest
from PyQt6.QtGui import QImage

from bluffline.cli.main import make_parser
from bluffline.demo import demo_clip

ROOT = Path(__file__).parents[2]
PLAIN = {key: value for key, value in os.environ.items() if not key.startswith(("PYTHON", "XDG_", "COV"))}


@pytest.fixture(scope="module")
def parts(tmp_path_factory):
    """The tree, made by another process as who packages makes it."""
    folder = tmp_path_factory.mktemp("parts")
    subprocess.run([sys.executable, ROOT / "packaging" / "build.py", "tree", folder], check=True, capture_output=True)
    return folder / "usr"


def looked_at(*command):
    """What a checker of the desktop says, where there is one."""
    if shutil.which(command[0]) is None:
        pytest.skip(f"{command[0]} is not here")
    told = subprocess.run(command, capture_output=True, text=True, check=False)
    return told.returncode, told.stdout + told.stderr


def test_the_entry_opens_a_file_and_names_kinds_that_are_declared(parts):
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(parts / "share/applications/bluffline.desktop", "utf-8")
    told = entry["Desktop Entry"]
    assert told["Exec"] == "bluffline %f" and told["Icon"] == "bluffline"
    kinds = ET.parse(parts / "share/mime/packages/bluffline.xml").getroot()
    own = {each.get("type") for each in kinds if each.tag.endswith("mime-type")}
    assert own < set(told["MimeType"].split(";"))
    assert [each.get("pattern") for each in kinds.iter() if each.tag.endswith("glob")] == ["*.bluffline"]


def test_the_desktop_s_own_checkers_find_nothing(parts):
    assert looked_at("appstreamcli", "validate", "--no-net", parts / "share/metainfo/app.bluffline.Desk.metainfo.xml")[0] == 0


def test_the_entry_is_valid(parts):
    assert looked_at("desktop-file-validate", parts / "share/applications/bluffline.desktop") == (0, "")


def test_there_is_an_icon_of_every_size_with_a_drawing_on_it(parts):
    icons = sorted((parts / "share/icons/hicolor").rglob("bluffline.png"))
    assert {QImage(str(icon)).width() for icon in icons} >= {16, 48, 256, 512} and len(icons) == 9
    for icon in icons:
        image = QImage(str(icon))
        assert f"{image.width()}x{image.height()}" == icon.parents[1].name
        assert len({image.pixel(x, y) for x in range(image.width()) for y in range(image.height())}) > 4
        assert image.pixelColor(0, 0).alpha() < 40, "round corners"


def test_every_command_has_a_man_page_that_says_its_options(parts):
    commands = next(each.choices for each in make_parser()._actions if isinstance(each.choices, dict))
    pages = {path.name: gzip.decompress(path.read_bytes()).decode() for path in (parts / "share/man/man1").iterdir()}
    assert set(pages) == {"bluffline.1.gz", *(f"bluffline-{name}.1.gz" for name in commands)}
    assert "\\-\\-certificate" in pages["bluffline-check.1.gz"] and "--listen" not in pages["bluffline-check.1.gz"]
    for name, text in pages.items():
        assert text.startswith('.TH "BLUFFLINE') and ".SH NAME" in text, name


def test_man_shows_each_page_and_takes_no_word_of_it_for_a_request(parts):
    for page in sorted((parts / "share/man/man1").iterdir()):
        code, told = looked_at("man", "--warnings=mac", "-E", "UTF-8", "-l", page)
        assert code == 0 and "macro" not in told and "NAME" in told and ".B " not in told, page.name
    assert ".cube" in looked_at("man", "-E", "UTF-8", "-l", parts / "share/man/man1/bluffline-apply.1.gz")[1]


def test_completions_for_three_shells_know_every_command(parts):
    kept = (
        "bash-completion/completions/bluffline", "zsh/vendor-completions/_bluffline", "fish/vendor_completions.d/bluffline.fish"
    )
    for place in kept:
        text = (parts / "share" / place).read_text("utf-8")
        assert "gateway" in text and "verify" in text, place


def test_the_service_starts_a_watch_that_the_command_line_understands(parts):
    unit = configparser.ConfigParser(interpolation=None, strict=False)
    unit.optionxform = str
    unit.read(parts / "lib/systemd/user/bluffline-watch@.service", "utf-8")
    program, *words = unit["Service"]["ExecStart"].replace("%f", "/srv/incoming").split()
    assert program == "/usr/bin/bluffline"
    options = make_parser().parse_args(words)
    assert options.command == "watch" and Path("/srv/incoming") in vars(options).values()


@pytest.fixture(scope="module")
def wheel(tmp_path_factory):
    folder = tmp_path_factory.mktemp("wheel")
    command = [sys.executable, "-m", "pip", "wheel", "--no-deps", "--no-build-isolation", "--wheel-dir", folder, ROOT]
    subprocess.run(command, check=True, capture_output=True)
    return next(folder.glob("*.whl"))


def test_the_wheel_has_all_that_is_not_code_and_nothing_of_the_workshop(wheel):
    names = zipfile.ZipFile(wheel).namelist()
    there = {path.relative_to(ROOT / "src").as_posix() for path in (ROOT / "src" / "bluffline").rglob("*") if path.is_file()}
    assert {name for name in there if "__pycache__" not in name} <= set(names)
    assert not [name for name in names if name.startswith(("tests", "bench", "docs", "packaging")) or "__pycache__" in name]


def test_a_fresh_environment_checks_the_demo_from_the_wheel(wheel, tmp_path):
    """The wheel alone in it; the libraries, which the lock file names, are those of this one."""
    home = tmp_path / "fresh"
    venv.create(home, with_pip=False, symlinks=True)
    site = next(home.glob("lib/python*/site-packages"))
    with zipfile.ZipFile(wheel) as packed:
        packed.extractall(site)
    numpy = importlib.util.find_spec("numpy")
    assert numpy is not None and numpy.origin is not None
    (site / "libraries.pth").write_text(str(Path(numpy.origin).parents[1]))
    own = PLAIN | {f"XDG_{name}_HOME": str(tmp_path / name) for name in ("DATA", "CACHE", "STATE", "CONFIG")}

    def run(*words, **more):
        command = [home / "bin" / "python", *words]
        return subprocess.run(command, cwd=tmp_path, env=own | more, capture_output=True, text=True, check=False)

    where = run("-c", "import bluffline; print(bluffline.__file__)").stdout.strip()
    assert Path(where).is_relative_to(home), "not this checkout"
    checked = run("-m", "bluffline", "check", demo_clip(), "--json", tmp_path / "report.json")
    assert checked.returncode == 1 and "must be fixed" in checked.stdout, checked.stderr
    assert json.loads((tmp_path / "report.json").read_text("utf-8"))["findings"]
    shown = run("-m", "bluffline", "--demo", "--picture", tmp_path / "desk.png", QT_QPA_PLATFORM="offscreen")
    assert shown.returncode == 0 and QImage(str(tmp_path / "desk.png")).width() > 1000, shown.stderr
