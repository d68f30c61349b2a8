"""Changes the code in small ways, one at a time, and says which changes no test notices.

Run as ``python tools/mutate.py`` for the changes that are named below, which every round has to notice, or as
``python tools/mutate.py treat rules 40`` for so many at random in each of some packages: those are judged by the tests that
enter the changed function, the quickest first. No file is changed: the tests are started with another text of one module
(``tools/changed``), so what is compiled of all others serves on.
"""

import ast
import json
import os
import random
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from copy import copy
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SOURCES = ROOT / "src" / "bluffline"
LONGEST = 900  # seconds for the tests of one change
ENOUGH = 150  # seconds, by what they take otherwise, of the tests that are asked about one change at random


@dataclass(frozen=True)
class Change:
    """``old`` made ``new`` in a file of the package, which ``tests`` should notice."""

    name: str
    path: str
    old: str
    new: str
    tests: tuple[str, ...]
    start: int = -1  # where ``old`` stands in the file; the first place that says it where negative


NAMED = (
    Change(
        "a term of the root polynomial is swapped", "treat/kinds/root_polynomial.py",
        "np.cbrt(first * second**2)", "np.cbrt(first**2 * second)", ("treat/test_kinds.py",),
    ),
    Change(
        "the hue nudge does not wrap at 180°", "treat/kinds/hue_nudge.py",
        "(np.degrees(np.arctan2(cr, cb)) - self.hue + 180) % 360 - 180", "np.degrees(np.arctan2(cr, cb)) - self.hue",
        ("treat/test_kinds.py",),
    ),
    Change(
        "chroma gives what luma should", "treat/row_kernels.py",
        "(_ONE - luma_share(", "(luma_share(", ("treat/test_pass.py",),
    ),
    Change(
        "4:2:0 chroma follows the upper row alone", "treat/pass_kernels.py",
        "_add_row(line, row_shares[n], added[rows[n]])", "_add_row(line, _ONE, added[rows[n]])", ("treat/test_pass.py",),
    ),
    Change(
        "only what breaks a limit of luma is hatched", "view/preview.py",
        " + measure.rgb_high_area + measure.rgb_low_area", "", ("view", "session/test_session_and_preview.py"),
    ),
    Change(
        "a kept picture serves for another window", "view/preview.py",
        '"window", "hatching"', '"hatching"', ("view", "session/test_session_and_preview.py"),
    ),
    Change(
        "a kept picture serves for other zones", "view/preview.py",
        '"zones", "line_field"', '"line_field"', ("view", "session/test_session_and_preview.py"),
    ),
    Change(
        "what was written is read back without the operator's active picture", "prove/prove.py",
        "start_survey(written, survey.rules, region=survey.region)", "start_survey(written, survey.rules)", ("prove",),
    ),
    Change(
        "frames that can't be read count in extremes", "propose/propose.py",
        "percent[low][span][readable].min()), float(percent[high][span][readable].max())",
        "percent[low][span].min()), float(percent[high][span].max())", ("survey",),
    ),
    Change(
        "a certificate tells no finding of the written file", "report/pages.py",
        "after=_rows(proof.after_findings, programme)", "after=[]", ("report", "prove"),
    ),
    Change(
        "the margin is always the least", "prove/prove.py",
        "min(excess, _MOST_MARGIN)", "_LEAST_MARGIN", ("prove",),
    ),
    Change(
        "what waits to be kept is not kept before another programme is taken", "ui/actions/long_work.py",
        "            return\n        self.keep_now()\n", "            return\n        self._keeping.stop()\n",
        ("ui/test_late_and_lost.py",),
    ),
    Change(
        "what waits to be kept is not kept when the desk is closed", "ui/actions/long_work.py",
        "self._judge_soon.stop()\n        self.keep_now()\n", "self._judge_soon.stop()\n        self._keeping.stop()\n",
        ("ui/test_late_and_lost.py", "ui/test_measuring.py"),
    ),
    Change(
        "a mixture has the shares of the wrong shot", "prove/across.py",
        "share if self.comes else 1 - share", "1 - share if self.comes else share", ("prove/test_across.py",),
    ),
    Change(
        "where shots are mixed only one's limits hold", "prove/across.py",
        "limits.apply(self._limits.apply(mixed, frame, pool), frame, pool)", "self._limits.apply(mixed, frame, pool)",
        ("prove/test_across.py",),
    ),
    Change(
        "a run does not know the ladder that is mixed into it", "prove/runs.py",
        "if here & {number - 1, number, number + 1}", "if number in here", ("prove/test_across.py",),
    ),
    Change(
        "a survey is complete before it knows what mixes its shots", "survey/survey.py",
        "self.joins.known == len(self.table)", "len(self.table)", ("session/test_mixed.py",),
    ),
    Change(
        "what was handed on is not held to what is read back", "prove/prove.py",
        "after.read != [handed.digest]", "after.read == []", ("prove/test_handed_on.py",),
    ),
    Change(
        "packets go over whose head is another", "prove/render.py",
        "not handed.because and not writer.one_head", "False", ("prove/test_handed_on.py",),
    ),
    Change(
        "a flash in a shot that moves parts it", "rules/shots.py",
        "_BACK * np.minimum", "0 * np.minimum", ("rules/test_transitions.py",),
    ),
)  # fmt: skip

SWAPS: dict[type[ast.AST], type[ast.AST]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.And: ast.Or, ast.Or: ast.And,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
# Which tests should notice a change in a package.
WATCHED = {
    "treat": ("treat", "test_golden.py"), "survey": ("survey", "rules", "prove", "cli/test_checking.py"),
    "rules": ("rules", "survey", "prove", "test_golden.py", "cli/test_work_and_waivers.py"),
    "propose": ("propose", "survey", "prove"), "prove": ("prove", "report"), "gauges": ("gauges", "measure/test_scopes.py"),
    "session": ("session", "ui/test_late_and_lost.py"),
}  # fmt: skip


class Callers:
    """Which tests of some folders enter which function, found by running them once."""

    def __init__(self, tests: tuple[str, ...]) -> None:
        with tempfile.TemporaryDirectory() as name:
            found = Path(name) / "found.json"
            environment = os.environ | {"WHO_CALLS": str(found), "PYTHONPATH": f"{ROOT / 'src'}:{ROOT / 'tools'}"}
            folders = [str(ROOT / "tests" / each) for each in tests]
            subprocess.run(
                [sys.executable, "-m", "pytest", "-q", "-p", "who_calls", "-p", "no:cacheprovider", *folders],
                cwd=ROOT, env=environment, stdout=subprocess.DEVNULL, check=True,
            )  # fmt: skip
            seen = json.loads(found.read_text("utf-8"))
        self._entered: dict[str, list[str]] = seen["entered"]
        self._seconds: dict[str, float] = seen["seconds"]
        self._callers_of = _callers_of_loops()

    def of(self, inside: str, text: str, line: int) -> tuple[str, ...]:
        """The tests that enter the function at a line of a module, or one of a module that takes its loops, the quickest first.

        As many as take ``ENOUGH``, but one at least.
        """
        around = [
            min([node.lineno, *(each.lineno for each in node.decorator_list)])
            for node in ast.walk(ast.parse(text))
            if isinstance(node, ast.FunctionDef) and node.lineno <= line <= (node.end_lineno or node.lineno)
        ]
        if inside.endswith("_kernels.py"):
            callers = tuple(f"{each}:" for each in self._callers_of[inside])
            tests = {each for place, entering in self._entered.items() if place.startswith(callers) for each in entering}
        else:
            tests = set(self._entered.get(f"{inside}:{max(around)}", [])) if around else set()
        asked, seconds = [], 0.0
        for test in sorted(tests, key=self._seconds.__getitem__):
            seconds += self._seconds[test]
            if asked and seconds > ENOUGH:
                break
            asked.append(test.removeprefix("tests/"))
        return tuple(asked)


def at_random(package: str, count: int, callers: Callers | None = None) -> list[Change]:
    """Changes of one operator each, or of a condition to its opposite, anywhere in a package."""
    found = []
    for path in sorted((SOURCES / package).rglob("*.py")):
        text = path.read_text()
        for node in ast.walk(ast.parse(text)):
            operators = [*getattr(node, "ops", []), *([node.op] if isinstance(node, ast.BinOp | ast.BoolOp) else [])]
            found += [(path, text, node, operator) for operator in operators if type(operator) in SWAPS]
    chosen = random.sample(found, min(count, len(found)))
    return [_swapped(package, callers, *each) for each in chosen]


def _swapped(package: str, callers: Callers | None, path: Path, text: str, node: ast.AST, operator: ast.AST) -> Change:
    old = ast.get_source_segment(text, node) or ""
    line, column = node.lineno, node.col_offset  # type: ignore[attr-defined]
    before = text.encode().splitlines(keepends=True)
    start = len(b"".join([*before[: line - 1], before[line - 1][:column]]).decode())
    kind, own = SWAPS[type(operator)], copy(node)  # others may be chosen from the same expression
    if isinstance(own, ast.Compare):
        own.ops = [kind() if each is operator else each for each in own.ops]  # type: ignore[misc]
    elif isinstance(own, ast.BinOp | ast.BoolOp):
        own.op = kind()  # type: ignore[assignment]
    inside = str(path.relative_to(SOURCES))
    tests = (callers.of(inside, text, line) if callers else ()) or WATCHED[package]
    new = f"({ast.unparse(own)})"
    return Change(f"{inside}:{line} {old[:60]!r} → {new[:60]!r}", inside, old, new, tests, start)


def _taken(path: Path) -> set[str]:
    """The modules that a module takes, or takes something from."""
    taken = [node for node in ast.walk(ast.parse(path.read_text())) if isinstance(node, ast.ImportFrom) and node.module]
    return {name for node in taken for name in (str(node.module), *(f"{node.module}.{each.name}" for each in node.names))}


def _module(path: Path) -> str:
    return ".".join(path.relative_to(SOURCES.parent).with_suffix("").parts)


def _with_callers(loops: str) -> set[str]:
    """A module of loops, and those that call it, straight or through others."""
    found = {loops}
    takes = {_module(path): _taken(path) for path in SOURCES.rglob("*_kernels.py")}
    while more := {each for each, taken in takes.items() if taken & found} - found:
        found |= more
    return found


def _callers_of_loops() -> dict[str, list[str]]:
    """By each module of loops the plain modules that enter it, as files within the package."""
    plain = {path: _taken(path) for path in SOURCES.rglob("*.py") if not path.name.endswith("_kernels.py")}
    found = {}
    for path in SOURCES.rglob("*_kernels.py"):
        loops = _with_callers(_module(path))
        entering = [str(each.relative_to(SOURCES)) for each, taken in plain.items() if taken & loops]
        found[str(path.relative_to(SOURCES))] = entering
    return found


def survives(change: Change) -> bool:
    """Whether the tests pass in spite of a change, which ends the program where there is no such text or test any more."""
    path = SOURCES / change.path
    text = path.read_text()
    start = text.find(change.old) if change.start < 0 else change.start
    if start < 0:
        raise SystemExit(f"{change.name}: {change.path} does not say {change.old!r} any more; mend the list.")
    module = _module(path)
    with tempfile.TemporaryDirectory() as folder:
        other = Path(folder) / "text.py"
        other.write_text(text[:start] + change.new + text[start + len(change.old) :])
        environment = os.environ | {
            "CHANGED": f"{module}={other}",
            "COMPILED_ANEW": ",".join(_with_callers(module)) if path.name.endswith("_kernels.py") else "",
            "PYTHONPATH": f"{ROOT / 'tools' / 'changed'}:{ROOT / 'src'}",
        }
        tests = [str(ROOT / "tests" / name) for name in change.tests]
        command = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", f"--basetemp={folder}/made", *tests]
        try:
            run = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, timeout=LONGEST, check=False)
        except subprocess.TimeoutExpired:
            return False  # it hangs, and that is noticed
    if b" not found: " in run.stdout + run.stderr:
        raise SystemExit(f"{change.name}: there is no such test any more as {' '.join(change.tests)}; mend the list.")
    return run.returncode == 0


def main() -> int:
    """Run and report; the exit code is 1 where a change survives."""
    changes: list[Change] = list(NAMED)
    if len(sys.argv) > 1:
        *packages, count = sys.argv[1:]
        random.seed(count)
        callers = Callers(tuple(dict.fromkeys(tests for package in packages for tests in WATCHED[package])))
        changes = [change for package in packages for change in at_random(package, int(count), callers)]
    alive = 0
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        for change, lives in zip(changes, pool.map(survives, changes), strict=True):
            print("survives" if lives else "noticed ", change.name, f"({len(change.tests)} asked)", flush=True)
            alive += lives
    print(f"{alive} of {len(changes)} changes were noticed by no test")
    return bool(alive)


if __name__ == "__main__":
    sys.exit(main())
