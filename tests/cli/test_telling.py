"""What is told on the way: a bar on a terminal, stages in words, nothing, and a log of one's own."""

import logging
import re
import sys

import pytest

from bluffline.cli import main as command_line
from bluffline.cli.main import make_parser
from bluffline.session.faults import on_the_way
from clips import make_clip, numbered


@pytest.fixture
def film(tmp_path):
    return make_clip(tmp_path / "film.mkv", numbered, 6, options={"g": "1"})


def run(capfd, *words):
    code = command_line.main([str(word) for word in words])
    told = capfd.readouterr()
    return code, told.out, told.err


def test_stages_are_told_in_words_where_that_is_asked_for(film, capfd):
    code, out, plain = run(capfd, "check", film)
    assert code == 0 and plain == "", "no terminal, so nothing is drawn"
    assert not (film.parent / "state").exists(), "nothing is kept of what went well"
    code, verbose_out, err = run(capfd, "check", film, "--verbose")
    lines = err.splitlines()
    assert lines[0].startswith("bluffline ") and lines[0].endswith("film.mkv --verbose")
    assert re.fullmatch(r"Survey: 6 of 6 frames in \d+\.\d s", lines[1]), lines
    assert re.fullmatch(r"ended with code 0 after \d+\.\d s", lines[-1]) and verbose_out.splitlines()[0] == out.splitlines()[0]


def test_a_terminal_shows_progress_unless_it_is_to_be_quiet(film, capfd, monkeypatch):
    monkeypatch.setattr(sys.stderr, "isatty", lambda: True, raising=False)
    assert "Survey" in run(capfd, "check", film)[2]
    assert run(capfd, "check", film, "--quiet")[2] == ""
    assert "█" not in run(capfd, "check", film, "--verbose")[2]


def test_a_log_of_ones_own_is_added_to_and_has_what_failed(film, tmp_path, capfd, caplog):
    log = tmp_path / "film.log"
    assert run(capfd, "check", film, "--log-file", log)[2] == ""
    assert run(capfd, "check", tmp_path / "none.mov", "--quiet", "--log-file", log)[0] == 2
    lines = [line.split(" ", 2)[2] for line in log.read_text("utf-8").splitlines()]
    assert lines[1].startswith("Survey: 6 of 6 frames") and "none.mov" in lines[-2]
    assert [line[:23] for line in lines if line.startswith("ended")] == ["ended with code 0 after", "ended with code 2 after"]
    assert not [each for each in caplog.records if each.levelname == "ERROR"], "it is no matter for whoever mends the program"


def test_an_error_that_nobody_foresaw_is_told_whole_where_that_is_asked_for(film, tmp_path, capfd, monkeypatch):
    def broken(*_, **__):
        raise ZeroDivisionError("by nought")

    monkeypatch.setattr(command_line, "check", broken)
    log = tmp_path / "film.log"
    code, _, err = run(capfd, "check", film, "--log-file", log)
    assert code == 3 and "Traceback" not in err and "ZeroDivisionError: by nought" in err
    assert "Traceback" in log.read_text("utf-8") and "ended with code 3" in log.read_text("utf-8")
    assert "Traceback" in run(capfd, "check", film, "--verbose")[2]
    left = [each for each in on_the_way.handlers if type(each) in (logging.StreamHandler, logging.FileHandler)]
    assert not left, "nothing of it stays"


def test_a_log_that_can_not_be_written_is_refused_before_anything_is_done(film, tmp_path, capfd):
    report = tmp_path / "report.json"
    code, out, err = run(capfd, "check", film, "--json", report, "--log-file", tmp_path / "none" / "film.log")
    assert (code, out) == (2, "") and "can't be written: No such file or directory." in err and err.count("\n") == 1
    assert '"bluffline.error/1"' in report.read_text("utf-8")


@pytest.mark.parametrize("name", ["film.mkv", "report.json"])
def test_nothing_but_a_log_is_added_to(film, tmp_path, capfd, name):
    """Least of all the programme itself."""
    other = tmp_path / name
    if name != film.name:
        other.write_text("{}")
    before = other.read_bytes()
    code, out, err = run(capfd, "check", film, "--log-file", other)
    assert (code, out) == (2, "") and err == f"bluffline: {other} is there already and is no log; choose another name.\n"
    assert other.read_bytes() == before
    (tmp_path / "empty.log").touch()
    assert run(capfd, "check", film, "--log-file", tmp_path / "empty.log")[0] == 0
    assert run(capfd, "check", film, "--log-file", tmp_path)[0] == 2, "a folder"


@pytest.mark.parametrize("how", [["--token", "hush hush"], ["--token=hush hush"]])
def test_a_token_stands_in_no_log(film, tmp_path, capfd, how):
    log = tmp_path / "film.log"
    code, out, err = run(capfd, "deliver", film, "--to", "http://127.0.0.1:9", *how, "--verbose", "--log-file", log)
    assert code == 2 and "hush" not in out + err + log.read_text("utf-8") and "deliver" in log.read_text("utf-8")


def test_every_command_and_each_act_of_one_understands_them(capfd):
    def commands(parser, path=()):
        inner = [action for action in parser._actions if getattr(action, "choices", None) and hasattr(action.choices, "values")]
        found = [made for action in inner for name, each in action.choices.items() for made in commands(each, (*path, name))]
        return found or [(path, parser)]

    every = commands(make_parser())
    assert len(every) > 20
    for path, parser in every:
        assert {"--quiet", "--verbose", "--log-file"} <= set(parser._option_string_actions), path
    with pytest.raises(SystemExit):
        make_parser().parse_args(["check", "film.mov", "--quiet", "--verbose"])
    assert "not allowed with" in capfd.readouterr().err
