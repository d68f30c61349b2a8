"""The commands for many files: batch, watch, compare."""

import argparse
import json
import os
import sys
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import Executor
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from bluffline.cli import files
from bluffline.cli.progress import terminal_monitor
from bluffline.errors import SettingsError
from bluffline.media.opening import shown
from bluffline.media.probe import probe
from bluffline.report.batch import FileRow, batch_csv, batch_page, row_report
from bluffline.report.files import save_text
from bluffline.rules.finding import Waiver
from bluffline.rules.rulefile import SHIPPED, load_rules
from bluffline.rules.severity import Severity
from bluffline.rules.waivers import load_waivers
from bluffline.session.settings import Settings
from bluffline.shift.batch import Batch, Ended
from bluffline.shift.compare import compare, compare_report, told
from bluffline.shift.gathering import Gathered, gathered
from bluffline.shift.ledger import Ledger
from bluffline.shift.one_file import Asked, Told
from bluffline.shift.profile import Profile, chosen_for, load_profile, made_with, own_profiles
from bluffline.shift.somewhere import Somewhere
from bluffline.shift.states import State
from bluffline.shift.watching import Watcher
from bluffline.shift.workers import Workers
from bluffline.signal.format import Overrides
from bluffline.survey.survey import must_fix, run_survey, start_survey

_WORST_FIRST = (State.REFUSED, State.TO_FIX, State.PROVED, State.GOOD)
_CODES = {State.REFUSED: 2, State.TO_FIX: 1}
_LOOK_EVERY = 0.5  # seconds between two looks at a folder that is watched


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Declare the commands."""
    batch = commands.add_parser("batch", help="check many files, and certify or legalise them; goes on where it was stopped")
    batch.set_defaults(run=_batch)
    batch.add_argument("paths", type=Path, nargs="+", metavar="PATH", help="files, numbered pictures, folders of them")
    watch = commands.add_parser("watch", help="do the same to whatever comes into a folder, until it is stopped")
    watch.set_defaults(run=_watch)
    watch.add_argument("folder", type=Path, metavar="FOLDER", help="where files come in; what still grows is waited for")
    watch.add_argument("--out", type=Path, required=True, metavar="DIR", help="where reports and certificates go")
    compared = commands.add_parser("compare", help="hold a delivery against the one before")
    compared.set_defaults(run=_compare)
    compared.add_argument("old", type=Path, metavar="OLD", help="the delivery before")
    compared.add_argument("new", type=Path, metavar="NEW", help="the one that came now")
    compared.add_argument("--rules", default=SHIPPED[0], metavar="NAME|PATH", help=f"{', '.join(SHIPPED)} or a rule file")
    compared.add_argument("--json", type=Path, metavar="OUT.json", help="write the result as JSON")
    files.add_force(compared)
    for command in (batch, watch):
        command.add_argument("--profile", metavar="NAME|PATH", help="default: your own that is for the file, else plain")
        command.add_argument("--rules", metavar="NAME|PATH", help=f"{', '.join(SHIPPED)} or a rule file, not the profile's")
        command.add_argument("--certify", action="store_true", help="give what is good as it is its certificate")
        command.add_argument("--legalise", type=Path, metavar="DIR", help="write a proved copy of what is not good there")
        command.add_argument("--work", action="store_true", help="take up the .bluffline file that lies beside each")
        add_hands(command, "files at a time; default: one for each processor")
        command.add_argument("--json", type=Path, metavar="OUT.jsonl", help="a line of JSON for each file")
        command.add_argument("--csv", type=Path, metavar="OUT.csv", help="a table of all files")
        command.add_argument("--html", type=Path, metavar="OUT.html", help="a page of all files, the worst first")
        command.add_argument("--frames", type=Path, metavar="DIR", help="the measurements of every frame, a CSV for each file")
        command.add_argument("--again", action="store_true", help="do anew, and replace, what an earlier run has done")
        files.add_waivers(command)
        files.add_facts(command)


def add_hands(command: argparse.ArgumentParser, words: str) -> None:
    """Declare who does the work."""
    command.add_argument("--jobs", type=int, metavar="N", help=words)
    where = "work on the machines of this Dask scheduler, tcp://host:8786; batch and watch: else that of the settings"
    command.add_argument("--cluster", metavar="ADDRESS", help=where)


def _compare(options: argparse.Namespace) -> int:
    rules = load_rules(options.rules)
    targets = files.Targets([options.old, options.new], force=options.force)
    targets.add(options.json, (".json",))
    surveys = []
    with terminal_monitor(options) as monitor:
        for path in (options.old, options.new):
            survey = start_survey(probe(path), rules)
            surveys.append(run_survey(survey, monitor, stage=f"Survey of {shown(path.name)}"))
    found = compare(*surveys)
    if options.json is not None:
        save_text(options.json, json.dumps(compare_report(found), indent=2, ensure_ascii=False) + "\n")
    print("\n".join([f"{shown(options.new)} against {shown(options.old)}", *told(found)]))
    return 1 if must_fix([*found.became.still, *found.became.new]) else 0


def _say(words: str) -> None:
    print(f"bluffline: {words}", file=sys.stderr)


def _from_settings(options: argparse.Namespace) -> None:
    """Work on the cluster of the settings, where it is not said who does it."""
    if options.cluster is None and options.jobs is None:
        options.cluster, options.by_settings = Settings.load().cluster or None, True


def _batch(options: argparse.Namespace) -> int:
    _from_settings(options)
    teller, asker = _Teller(options), _Asker(options)
    found = gathered(options.paths, [folder for folder in (options.legalise, options.frames) if folder is not None])
    if not found.found:
        raise SettingsError(f"There is no programme in {', '.join(map(shown, options.paths))}.")
    teller.total = len(found.found)
    asked = [asker.of(path, root) for path, root in found.found]
    refused = _same_targets(asked)
    with workers(options, len(asked)) as executor:
        batch = Batch(Ledger(), executor, options.again, options.cluster is not None, _say)
        for ended in batch.run(each for each in asked if id(each) not in refused):
            teller.tell(ended)
        for each in asked:
            if id(each) in refused:
                teller.tell(Ended(each, refused[id(each)], ""))
    return teller.finish(found)


def _watch(options: argparse.Namespace) -> int:
    _from_settings(options)
    if not options.folder.is_dir():
        raise SettingsError(f"There is no folder {shown(options.folder)} to watch.")
    options.out.mkdir(parents=True, exist_ok=True)
    teller, asker = _Teller(options), _Asker(options, leave=options.out)
    written = [folder for folder in (options.out, options.legalise, options.frames) if folder is not None]
    watcher = Watcher(options.folder, written)
    print(f"watching {shown(options.folder)}; Ctrl+C ends it", file=sys.stderr, flush=True)
    with workers(options) as executor:
        batch = Batch(Ledger(), executor, options.again, options.cluster is not None, _say)
        while True:
            for path in watcher.steady():
                asked = asker.of(path, options.folder)
                if (ended := batch.begin(asked)) is not None:
                    teller.leave(ended, options.out)
            for ended in batch.ended(_LOOK_EVERY):
                teller.leave(ended, options.out)
            if not batch.busy:
                time.sleep(_LOOK_EVERY)


@contextmanager
def workers(options: argparse.Namespace, most: int = 1 << 10) -> Iterator[Executor]:
    """So many processes, or a cluster; they are stopped, and remove what they have begun, however this ends."""
    count = options.jobs if options.jobs is not None else os.cpu_count() or 1
    if not 1 <= count <= 1 << 10:
        raise SettingsError(f"--jobs must be between 1 and 1024, not {count}.")
    count = min(count, most)
    asked_for = not getattr(options, "by_settings", False)
    processes = Somewhere(options.cluster or "", lambda: Workers(count), count, _say, must=asked_for)
    try:
        yield processes
    except BaseException:
        processes.shutdown(cancel_futures=True)
        raise
    processes.shutdown()


class _Asker:
    """What is asked of each file, by the command's options."""

    def __init__(self, options: argparse.Namespace, leave: Path | None = None) -> None:
        self._options, self._leave = options, leave
        for folder in (options.legalise, options.frames):
            if folder is not None:
                folder.mkdir(parents=True, exist_ok=True)
        self._waivers: tuple[Waiver, ...] = load_waivers(options.waivers) if options.waivers is not None else ()
        self._read: Overrides = files.overrides(options)
        if options.rules is not None:
            load_rules(options.rules)
        self._one = load_profile(options.profile) if options.profile is not None else None
        self._own: list[Profile] = []
        if self._one is None:
            self._own, wrong = own_profiles()
            for sentence in wrong:
                print(f"bluffline: {sentence}", file=sys.stderr)

    def of(self, path: Path, root: Path) -> Asked:
        """What is asked of a file that was found in a folder; what is written of it goes to the same place in another."""
        options = self._options
        profile = self._one or chosen_for(path, self._own)
        if options.rules is not None:
            rules = options.rules if options.rules in SHIPPED else str(Path(options.rules).absolute())
            profile = made_with(profile, rules)
        inside = path.parent.relative_to(root) if path.parent.is_relative_to(root) else Path()
        return Asked(
            path, profile, options.certify,
            target=profile.target(path, options.legalise / inside) if options.legalise is not None else None,
            leave=self._leave / inside if self._leave is not None else None,
            find_work=options.work, read=self._read, waivers=self._waivers,
            frames=options.frames / inside / f"{path.name}.frames.csv" if options.frames is not None else None,
        )  # fmt: skip


class _Teller:
    """Tells of each file as it ends, and of all of them at the end."""

    def __init__(self, options: argparse.Namespace) -> None:
        self._options, self.total = options, 0
        self._rows: list[FileRow] = []
        self._worst, self._began = 0, time.monotonic()
        self._lines = options.json.open("w", encoding="utf-8") if options.json is not None else None

    def tell(self, ended: Ended) -> FileRow:
        """One line of text, and one of JSON where that was asked for."""
        row = _row(ended)
        self._rows.append(replace(row, report=row.report if self._options.html is not None or self._options.csv else {}))
        self._worst = max(self._worst, _CODES.get(ended.told.state, 0))
        place = f"{len(self._rows):>4}/{self.total:<4} " if self.total else ""
        took = "as before" if ended.known else f"{ended.told.seconds:.1f} s"
        print(f"{place}{row.state:<15}{took:>10}  {shown(ended.asked.path)}: {row.verdict}", flush=True)
        if self._lines is not None:
            self._lines.write(json.dumps(row_report(row)) + "\n")
            self._lines.flush()
        return row

    def leave(self, ended: Ended, folder: Path) -> None:
        """The same, and its report as a file of its own."""
        row = self.tell(ended)
        if row.report:
            where = (ended.asked.leave or folder) / f"{ended.asked.path.name}.report.json"
            where.parent.mkdir(parents=True, exist_ok=True)
            save_text(where, json.dumps(row.report, indent=2, ensure_ascii=False) + "\n")
        if self._options.html is not None or self._options.csv is not None:
            self._pages([])

    def finish(self, found: Gathered) -> int:
        """The summary; returns the exit code."""
        seconds, known = time.monotonic() - self._began, sum(row.known for row in self._rows)
        told = [f"{known} of them were done in an earlier run and have not changed since."] if known else []
        if found.beside:
            kinds = ", ".join(f"{count} {ending or 'without an ending'}" for ending, count in found.beside.most_common())
            told.append(f"Not looked at, since their endings are none of programmes: {kinds}.")
        counts = Counter(row.state for row in self._rows)
        words = ", ".join(f"{count} {state}" for state, count in counts.most_common())
        print("\n".join([f"{len(self._rows)} files in {seconds:.0f} s: {words}.", *told]))
        self._pages(told)
        if self._lines is not None:
            self._lines.close()
        return self._worst

    def _pages(self, told: list[str]) -> None:
        counts = Counter(row.state for row in self._rows)
        if self._options.csv is not None:
            save_text(self._options.csv, batch_csv(self._rows))
        if self._options.html is not None:
            save_text(self._options.html, batch_page(self._rows, counts.most_common(), told))


def _row(ended: Ended) -> FileRow:
    asked, told = ended.asked, ended.told
    counts = {name: told.count(severity) for name, severity in _COUNTED}
    counts["waived"] = told.checked.get("waived", 0)
    rank = _WORST_FIRST.index(told.state)
    rules = told.checked.get("rules", {}).get("title", asked.profile.rules)
    return FileRow(
        shown(asked.path), str(told.state), rank, asked.profile.name, rules, counts, told.sentence, told.seconds, ended.known,
        told.at, told.report, told.skyline, told.limits, tuple(map(shown, told.written)),
    )  # fmt: skip


_COUNTED = (("must_fix", Severity.MUST_FIX), ("look", Severity.LOOK), ("note", Severity.NOTE))


def _same_targets(asked: list[Asked]) -> dict[int, Told]:
    """What is said of each file whose copy would have the name of another's."""
    taken: dict[Path, Asked] = {}
    refused: dict[int, Told] = {}
    for each in asked:
        for path in each.outputs:
            other = taken.setdefault(path.absolute(), each)
            if other is not each and id(each) not in refused:
                words = f"Both it and {shown(other.path)} would be written as {shown(path.name)}: name one of them otherwise."
                refused[id(each)] = Told(State.REFUSED, words)
    return refused
