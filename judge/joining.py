"""How well the survey finds by what shots come and go: made programmes of cuts, dissolves, wipes and fades, with motion."""

from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from itertools import pairwise

import numpy as np

from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import TransitionSearch, find_shots
from clips import signal, to_planes
from joined import HEIGHT, WIDTH, programme

_PROGRAMMES = 45  # some 310 transitions and 110 cuts
_CUT = 25  # programmes in which nothing is to be found but cuts
_CORES = 2
_SAME = 0.5  # least share of both that is common to what was found and what there is
_EXACT = 0.1  # of its length, or two frames, that an end may be off
_NEAR = 1  # frames that a cut may be off


def found(names, number, *, cut=False):
    """Counts of one programme: of what there is, of what was found, and of what was found and is not there."""
    frames, truths = programme(np.random.default_rng([len(names), number]), names, cut=cut)
    source, limits = signal(WIDTH, HEIGHT), load_rules("r103").limits
    table, search = SurveyTable(len(frames)), TransitionSearch()
    for frame in frames:
        table.append(measure_frame(to_planes(frame, source), source, Region.whole(source), limits))
    search.grow(table, complete=True)
    counts, left = Counter(), list(search.found)
    starts = [shot.first for shot in find_shots(table, search.found)[1:]]
    for truth in truths:
        counts[truth.kind] += 1
        if truth.kind == "cut":
            hits = [start for start in starts if abs(start - truth.first) <= _NEAR]
            counts["cut found"] += bool(hits)
            continue
        for each in left:
            common = min(each.last, truth.last) - max(each.first, truth.first) + 1
            if common > _SAME * (max(each.last, truth.last) - min(each.first, truth.first) + 1):
                off = max(abs(each.first - truth.first), abs(each.last - truth.last))
                counts[f"{truth.kind} found"] += 1
                counts[f"{truth.kind} exact"] += off <= max(2, _EXACT * (truth.last - truth.first + 1))
                left.remove(each)
                break
    through = [(one.last, other.first) for one, other in pairwise(truths) if one.kind == other.kind == "fade"]  # black
    told = [*((each.first, each.last) for each in truths), *through]
    counts["false"], counts["frames"] = len(left), len(frames)
    counts["false cut"] = sum(not any(first - _NEAR <= start <= last + 1 + _NEAR for first, last in told) for start in starts)
    return counts


def joined(names):
    """What is found in programmes of some pictures."""
    with ProcessPoolExecutor(_CORES) as pool:
        counts = sum(pool.map(partial(found, names), range(_PROGRAMMES)), Counter())
        plain = sum(pool.map(partial(found, names, cut=True), range(_CUT)), Counter())
    kinds = "dissolve", "wipe", "fade"
    there, hits = (sum(counts[kind + what] for kind in kinds) for what in ("", " found"))
    precision = hits / max(hits + counts["false"], 1)
    print(f"  transitions: recall {hits / there:.3f} of {there}, precision {precision:.3f}")
    for kind in kinds:
        within = f", {counts[kind + ' exact']} with both ends within two frames or a tenth"
        print(f"    {kind}: {counts[kind + ' found']} of {counts[kind]}{within}")
    print(f"  cuts: {counts['cut found']} of {counts['cut']}, {counts['false cut']} shots begin where nothing does")
    print(
        f"  {plain['frames']} frames of cuts alone: {plain['false']} transitions, {plain['cut found']} of {plain['cut']} cuts, "
        f"{plain['false cut']} shots begin where nothing does"
    )
