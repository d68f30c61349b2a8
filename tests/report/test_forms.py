"""Every report keeps to the schema that is printed of it, and the schemas are sound themselves."""

import json

import pytest
from jsonschema import Draft202012Validator, ValidationError

from bluffline.cli.main import main
from bluffline.report.forms import FORMS, schema_of


def holds(report):
    Draft202012Validator(schema_of(report["schema"])).validate(report)
    return report


@pytest.mark.parametrize("name", FORMS)
def test_schemas_are_sound_closed_and_printed(name, capfd):
    assert main(["schema", name]) == 0
    printed = json.loads(capfd.readouterr().out)
    Draft202012Validator.check_schema(printed)
    assert printed == schema_of(name) and printed["$id"] == name
    assert all(part["additionalProperties"] is False and part["description"] for part in printed["$defs"].values())


def test_what_is_no_schema_is_refused(capfd):
    assert main(["schema"]) == 0 and capfd.readouterr().out.split() == list(FORMS)
    assert main(["schema", "glaze/1"]) == 2 and "There is no schema 'glaze/1'" in capfd.readouterr().err


def test_reports_of_every_command_keep_to_their_schemas(over_clip, tmp_path, capfd):
    out = tmp_path / "r.json"

    def reported(*words):
        several = words[0] == "batch"
        main([*map(str, words), "--json", str(out), *(() if several else ("--force",))])
        text = out.read_text()
        return [json.loads(line) for line in text.splitlines()] if several else json.loads(text)

    given = tmp_path / "w.toml"
    given.write_text('[[waiver]]\nframes = [0, 23]\nreason = "agreed"\nby = "Duty editor"\nat = 2026-11-29T16:41:00Z\n')
    plain = holds(reported("check", over_clip))
    assert (
        plain["schema"] == "bluffline.check/2" and plain["versions"]["bluffline"] and plain["checked"] and plain["file"]["size"]
    )
    assert holds(reported("check", over_clip, "--waivers", given))["findings"][0]["waived"]["by"] == "Duty editor"
    assert holds(reported("check", over_clip, over_clip))["schema"] == "bluffline.checks/1"
    assert holds(reported("legalise", over_clip, tmp_path / "legal.mov"))["schema"] == "bluffline.certificate/2"
    holds(json.loads((tmp_path / "legal.mov.certificate.json").read_text()))
    assert holds(reported("compare", over_clip, tmp_path / "legal.mov"))["schema"] == "bluffline.compare/1"
    (tmp_path / "torn.mov").write_bytes(b"no film" * 500)
    lines = reported("batch", over_clip, tmp_path / "torn.mov", "--certify")
    assert {holds(line)["state"] for line in lines} == {"to fix", "refused"}
    out.unlink()
    error = holds(reported("check", tmp_path / "torn.mov"))
    assert error["schema"] == "bluffline.error/1" and error["exit_code"] == 2 and "damaged" in error["error"]
    capfd.readouterr()
    assert main(["check", str(tmp_path / "none.mov"), "--json", "-"]) == 2
    assert "There is no file" in holds(json.loads(capfd.readouterr().out))["error"]


def test_what_is_there_already_is_not_replaced_by_an_error(tmp_path, over_clip, capfd):
    out = tmp_path / "r.json"
    out.write_text("{}")
    assert main(["check", str(over_clip), "--json", str(out)]) == 2 and out.read_text() == "{}"


def test_a_report_with_one_thing_more_or_less_is_none(over_clip, tmp_path):
    main(["check", str(over_clip), "--json", str(tmp_path / "r.json")])
    report = json.loads((tmp_path / "r.json").read_text())
    for wrong in (report | {"glaze": 1}, {k: v for k, v in report.items() if k != "verdict"}, report | {"must_fix": "three"}):
        with pytest.raises(ValidationError):
            holds(wrong)
