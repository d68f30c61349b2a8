"""Work files of somebody else's: nothing in them is run, and what is no plain table is refused in a sentence."""

import sqlite3
from contextlib import closing

import pytest

from bluffline.errors import SettingsError
from bluffline.session import workfile
from bluffline.session.store import work_text
from bluffline.session.work import Work
from bluffline.session.workfile import read_work
from bluffline.signal.format import NO_OVERRIDES

ROW = "'c.mov', '{place}', 'x', '', 0, '[]', '{{}}', '{{}}'"


def made(path, *script, place="/nowhere"):
    with closing(sqlite3.connect(":memory:")) as store:
        for line in script:
            store.execute(line.replace("ROW", ROW.format(place=place)))
        store.execute(f"pragma application_id = {workfile._APPLICATION}")
        store.execute(f"pragma user_version = {workfile.VERSION}")
        store.commit()
        path.write_bytes(store.serialize())
    return path


TABLE, NO_FACTS = workfile._SCHEMA, workfile._facts_text(NO_OVERRIDES, None)


@pytest.mark.parametrize(
    "script",
    [
        ["create view work as with recursive n(x) as (select 1 union all select x + 1 from n) select x name from n"],
        [TABLE, "insert into work values (ROW)", "create table more (x)"],
        [TABLE, "create trigger t after insert on work begin delete from work; end"],
        [TABLE, "insert into work values (ROW)", "insert into work values (ROW)"],
        [TABLE],
        ["create table work (name, place, content, rate, track, shots, work, facts)", "insert into work values (ROW)"],
    ],
    ids=["a view without end", "another table", "a trigger", "two rows", "no row", "no work in it"],
)
def test_what_is_no_plain_work_is_a_sentence(tmp_path, script):
    path = made(tmp_path / "w.bluffline", *script)
    with pytest.raises(SettingsError, match=r"no work file, or it is damaged|can't be work"):
        read_work(path)


def test_reading_ends_in_time(tmp_path, monkeypatch):
    path = made(tmp_path / "w.bluffline", TABLE, "insert into work values (ROW)")
    monkeypatch.setattr(workfile, "_LONGEST", -1.0)
    rows = ", ".join("(" + ROW.format(place="x" * 2000) + ")" for _ in range(4000))
    path = made(tmp_path / "long.bluffline", TABLE, f"insert into work values {rows}")
    with pytest.raises(SettingsError):
        read_work(path)


@pytest.mark.parametrize("place", ["/" + "x" * 5000, "/dev/zero", "a\x00b"])
def test_names_of_devices_and_names_that_none_can_have(tmp_path, place):
    (tmp_path / "w.bluffline").write_bytes(b"")
    with closing(sqlite3.connect(":memory:")) as store:
        store.execute(TABLE)
        store.execute("insert into work values ('zero', ?, 'x', '', 0, '[]', ?, ?)", (place, work_of_nothing(), NO_FACTS))
        store.execute(f"pragma application_id = {workfile._APPLICATION}")
        store.execute(f"pragma user_version = {workfile.VERSION}")
        store.commit()
        (tmp_path / "w.bluffline").write_bytes(store.serialize())
    with pytest.raises(SettingsError, match=r"neither beside it|can't be work"):
        read_work(tmp_path / "w.bluffline")


def work_of_nothing():

    return work_text(Work())


@pytest.mark.parametrize(
    ("column", "value"),
    [
        ("rate", "1e999999999"), ("rate", "1/" + "9" * 4000), ("rate", "0"), ("rate", "1000"),
        ("track", -1), ("track", 1 << 60), ("shots", "0-99999999999"), ("shots", "9-3"), ("shots", "-1-3"),
    ],
)  # fmt: skip
def test_rates_and_counts_are_bounded_before_they_are_worked_out(tmp_path, column, value):
    facts = f"work = '{work_text(Work())}', facts = '{NO_FACTS}'"
    script = [TABLE, "insert into work values (ROW)", f"update work set shots = '0-9', {facts}"]
    (tmp_path / "c.mov").write_bytes(b"picture")
    assert read_work(made(tmp_path / "good.bluffline", *script)).shots, "what is changed is all that is wrong"
    literal = value if isinstance(value, int) else f"'{value}'"
    with pytest.raises(SettingsError, match="can't be work"):
        read_work(made(tmp_path / "w.bluffline", *script, f"update work set {column} = {literal}"))


def test_reading_is_given_its_time_and_no_more(monkeypatch):
    counting = "with recursive n(i) as (select 1 union all select i + 1 from n where i < 200000) select count(*) from n"
    for longest, ends in ((10.0, True), (0.0, False)):
        monkeypatch.setattr(workfile, "_LONGEST", longest)
        with closing(sqlite3.connect(":memory:")) as store:
            workfile._confine(store)
            if ends:
                assert store.execute(counting).fetchone() == (200_000,)
            else:
                with pytest.raises(sqlite3.OperationalError, match="interrupted"):
                    store.execute(counting).fetchone()
