"""Transitions: where one shot becomes another over several frames, by a dissolve, a wipe or a fade.

Looked for in what the survey keeps of how frames look. Between two pictures that are unlike, a mixture goes straight from one
to the other, and its light varies less in the middle than at either end, since where light lies in one has nothing to do with
where it lies in the other [DISSOLVE]. What a wipe leaves in every block is one or the other, and where it changes moves
across the picture. What moves in a shot does neither, and changes no less before and after. How much each of these figures
weighs was fitted by logistic regression to made programmes, of which ``make judge`` has others.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float32]
Frames = NDArray[np.intp]

LONGEST = 79  # frames from the last before a transition to the first after it
_SPANS = 5, 6, 7, 8, 10, 12, 14, 17, 21, 25, 30, 37, 45, 54, 66, LONGEST
_STEPS = 8  # places in such a span at which it is looked for
_AROUND = 6  # frames before and after that tell what changes anyhow, at least
_APART = 0.04  # least mean difference of the blocks of two pictures, as a share of the range
_GAINED = 0.2  # least share of the way that blocks go that brings them nearer to where they end
_UNLIKE = 0.5  # least change of tones and hues, in those that happen before and after
_SURE, _LIKELY = 0.0, -2.0  # least log odds of a transition, and of what is worth a closer look
_SAME = 0.7  # share of two spans that overlap, from which on one of them will do
_SHORT = 9  # frames: so short a dissolve may have been taken for a cut
_JUMP = 0.4  # greatest step of such a one: two cuts, with a shot of a few frames between, go there in larger ones
_FLAT = 0.005  # greatest deviation of the blocks of black, or of another picture without any detail
_DIM, _FADED = 0.03, 0.06  # least deviation of the picture that is faded, and how far from a straight ramp it may be
_LEAST_FADE = 3  # frames
_GRID = np.mgrid[-0.5:0.5:9j, -0.5:0.5:16j].reshape(2, -1)
_BENT = np.stack([np.ones(144), *_GRID, *_GRID**2], axis=1).astype(np.float32)  # a front that may be curved
_NOTHING = 0.02  # change of a block that says nothing
_MEAN = 3  # frames that a picture is the mean of, at the ends of a span
_ENDS = 0.03  # share of a wipe that begins it
_ROUNDS = 3
_AT_ONCE = 256  # spans, so that memory stays bounded
_DISSOLVE = np.array([-0.59, 3.23, -4.82, 0.62, 1.86, -21.82, 1.51, -0.91], np.float32)
_WIPE = np.array([-1.37, 2.57, -134.45, 11.65, 16.19, -19.41, -2.93, -25.87], np.float32)


class TransitionKind(StrEnum):
    """How one shot becomes another."""

    DISSOLVE = "dissolve"
    WIPE = "wipe"
    FADE_OUT = "fade out"
    FADE_IN = "fade in"

    @property
    def mixes(self) -> bool:
        """Whether both shots are seen at once."""
        return self in (TransitionKind.DISSOLVE, TransitionKind.WIPE)


@dataclass(frozen=True, slots=True)
class Transition:
    """Frames ``first`` to ``last``, both inclusive, that are of neither shot alone; of a fade those that are dimmed."""

    kind: TransitionKind
    first: int
    last: int

    def __contains__(self, frame: int) -> bool:
        return self.first <= frame <= self.last

    def share(self, frame: int) -> float:
        """How much there is of the shot that comes, 0 … 1, in a frame of it."""
        return (frame - self.first + 1) / (self.last - self.first + 2)

    def moved(self, by: int) -> "Transition":
        """The same so many frames later."""
        return replace(self, first=self.first + by, last=self.last + by)


@dataclass(frozen=True, slots=True)
class _Span:
    """What may be a transition: the last frame ``before`` it, the first ``after`` it, and the log odds that it is one."""

    kind: TransitionKind
    before: int
    after: int
    odds: float = 0.0

    @property
    def transition(self) -> Transition:
        return Transition(self.kind, self.before + 1, self.after - 1)

    def shared(self, other: "_Span") -> int:
        """Frames that are between the ends of both."""
        return min(self.after, other.after) - max(self.before, other.before) - 1


class _Looks:
    """What frames look like: ``blocks`` (N, 144) mean luma, 0 … 1, and ``hues`` (N, 64) shares of tones and hues."""

    def __init__(self, looks: NDArray[np.uint8]) -> None:
        self.blocks = (looks[:, :144].astype(np.float32) - 20) / 200
        self.hues = looks[:, 144:].astype(np.float32) / 255
        self.varied = self.blocks.var(axis=1)
        self._way = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(self.blocks, axis=0)).sum(axis=1))])

    def __len__(self) -> int:
        return len(self.blocks)

    def worth_a_look(self, span: int, cuts: Frames) -> Frames:
        """(K,) frames from which the picture goes, in so many, to another that is unlike it."""
        before = np.arange(0, len(self) - span, max(span // _STEPS, 1))
        if span > _SHORT:
            before = before[np.searchsorted(cuts, before + span, "right") == np.searchsorted(cuts, before + 1)]
        after = before + span
        gained = np.abs(self.blocks[after] - self.blocks[before]).sum(axis=1)
        far = (gained > _APART * 144) & (gained > _GAINED * (self._way[after] - self._way[before]))
        worth: Frames = before[far]
        return np.asarray(worth[self._unlike(worth, span) > _UNLIKE], np.intp)

    def _around(self, before: Frames, span: int) -> tuple[Frames, Frames]:
        """Frames as far before and after as the span is long."""
        far = max(span, _AROUND)
        return np.maximum(before - far, 0), np.minimum(before + span + far, len(self) - 1)

    def _unlike(self, before: Frames, span: int) -> Array:
        """(K,) how much more tones and hues change in a span than around it."""
        hues, (earlier, later) = self.hues, self._around(before, span)
        own = np.abs(hues[before + span] - hues[before]).sum(axis=1)
        other = [np.abs(hues[earlier] - hues[before]).sum(axis=1), np.abs(hues[later] - hues[before + span]).sum(axis=1)]
        return np.asarray(own / (np.maximum(*other) + 0.1))

    def figures(self, before: Frames, span: int) -> tuple[Array, Array]:
        """(K, F) what tells a dissolve, and (K, G) a wipe, from frames on over a span."""
        blocks, after = self.blocks, before + span
        frames = blocks[before[:, None] + np.arange(span + 1)]
        one = np.mean([blocks[np.maximum(before - n, 0)] for n in range(_MEAN)], axis=0)
        other = np.mean([blocks[np.minimum(after + n, len(self) - 1)] for n in range(_MEAN)], axis=0)
        change, gone = other - one, frames - one[:, None]
        energy = (change**2).sum(axis=1) + 1e-9
        steady = np.arange(span + 1, dtype=np.float32) / span
        share = np.einsum("ktb,kb->kt", gone, change) / energy[:, None]
        beside = np.sqrt((((gone - steady[:, None] * change[:, None]) ** 2).sum(axis=2) / energy[:, None]).mean(axis=1))
        unsteady = np.abs(share - steady).max(axis=1)
        varied = self.varied[before[:, None] + np.arange(span + 1)]
        ends = (varied[:, 0] + varied[:, -1]) / 2 + 1e-5
        middle = varied[:, span // 3 : span - span // 3 + 1].mean(axis=1) / ends
        earlier, later = self._around(before, span)
        moved = [np.sqrt(((blocks[n] - blocks[m]) ** 2).mean(axis=1)) for n, m in ((earlier, before), (later, after))]
        apart = np.sqrt(energy / 144)
        more, unlike = apart / (np.maximum(*moved) + 0.01), self._unlike(before, span)
        dissolve = [
            np.log(beside + 0.01), np.log(apart), np.log(middle + 0.02), np.log(more), np.log(unlike + 0.05), unsteady,
            np.full(len(before), np.log(span)),
        ]  # fmt: skip
        # A wipe: each block is of one picture until it is of the other.
        weight = np.abs(change)
        total = weight.sum(axis=1) + 1e-9
        done = np.clip(gone / np.where(weight < _NOTHING, np.where(change < 0, -_NOTHING, _NOTHING), change)[:, None], 0, 1)
        between = ((done * (1 - done)).mean(axis=1) * weight).sum(axis=1) / total
        swept = (done * weight[:, None]).sum(axis=2) / total[:, None]
        back = (np.maximum.accumulate(swept, axis=1) - swept).max(axis=1)
        when = 1 - done.mean(axis=1)
        wipe = [
            np.log(between + 0.005), np.log(unlike + 0.05), back, _in_order(when, weight),
            (weight > 1.5 * _NOTHING).mean(axis=1), np.diff(swept, axis=1).max(axis=1), np.abs(np.log(middle + 0.02)),
        ]  # fmt: skip
        return np.stack(dissolve, axis=1), np.stack(wipe, axis=1)

    def jump(self, span: _Span) -> float:
        """The greatest step of a span from one frame to the next, as a share of the way from one picture to the other."""
        frames = self.blocks[span.before : span.after + 1]
        change = frames[-1] - frames[0]
        return float(np.abs(np.diff(frames @ change)).max() / (change @ change + 1e-9))

    def fitted(self, span: _Span) -> _Span:
        """The same with ends where the picture begins to change, and where it is done."""
        before, after = span.before, span.after
        room = max((after - before) // 2, _MEAN + 1)
        for _ in range(_ROUNDS):
            first, last = max(before - room, 0), min(after + room, len(self) - 1)
            one = self.blocks[max(before - _MEAN + 1, 0) : before + 1].mean(axis=0)
            change = self.blocks[after : after + _MEAN].mean(axis=0) - one
            gone = self.blocks[first : last + 1] - one
            if span.kind is TransitionKind.WIPE:
                ends = _swept(gone, change, before - first, after - first)
            else:
                ends = _ramp(gone @ change / (change @ change + 1e-9), before - first, after - first)
            if (ends[0] + first, ends[1] + first) == (before, after):
                break
            before, after = ends[0] + first, ends[1] + first
        return replace(span, before=before, after=after)


def find_transitions(looks: NDArray[np.uint8], cuts: Sequence[int] = ()) -> list[Transition]:
    """The transitions among frames, in their order.

    Parameters
    ----------
    looks : (N, 208) see `bluffline.measure.table`
    cuts : the first frames of shots that a cut begins, in their order
    """
    seen, places = _Looks(looks), np.asarray(cuts, np.intp)
    found = _fades(seen)
    likely: list[_Span] = []
    for each in sorted(_likely(seen, places), key=lambda one: -one.odds):
        if not any(each.shared(fade) > 0 for fade in found) and not any(_alike(each, other) for other in likely):
            likely.append(each)
    sure = []
    for each in dict.fromkeys(replace(seen.fitted(one), odds=0.0) for one in likely):
        length = each.after - each.before
        inside = np.searchsorted(places, each.after, "right") - np.searchsorted(places, each.before + 1)
        if _SPANS[0] <= length and (seen.jump(each) <= _JUMP if length <= _SHORT else not inside):
            dissolve, wipe = seen.figures(np.array([each.before]), length)
            odds = _odds(dissolve, _DISSOLVE) if each.kind is TransitionKind.DISSOLVE else _odds(wipe, _WIPE)
            sure.append(replace(each, odds=float(odds[0])))
    for each in sorted(sure, key=lambda one: -one.odds):
        if each.odds > _SURE and not any(each.shared(other) > 0 for other in found):
            found.append(each)
    return [each.transition for each in sorted(found, key=lambda one: one.before)]


def _likely(seen: _Looks, cuts: Frames) -> Iterator[_Span]:
    """Spans that deserve a closer look."""
    for span in _SPANS:
        worth = seen.worth_a_look(span, cuts)
        for start in range(0, len(worth), _AT_ONCE):
            before = worth[start : start + _AT_ONCE]
            dissolve, wipe = seen.figures(before, span)
            both = np.stack([_odds(dissolve, _DISSOLVE), _odds(wipe, _WIPE)], axis=1)
            for place in np.flatnonzero(both.max(axis=1) > _LIKELY):
                kind = (TransitionKind.DISSOLVE, TransitionKind.WIPE)[int(both[place].argmax())]
                yield _Span(kind, int(before[place]), int(before[place]) + span, float(both[place].max()))


def _odds(figures: Array, weights: Array) -> Array:
    """(K,) log odds, of (K, F) figures."""
    return np.asarray(figures @ weights[:-1] + weights[-1])


def _alike(one: _Span, other: _Span) -> bool:
    """Whether two spans are so much the same that a look at one will do."""
    whole = max(one.after, other.after) - min(one.before, other.before) - 1
    return one.kind is other.kind and one.shared(other) > _SAME * whole


def _in_order(when: Array, weight: Array) -> Array:
    """(K,) how much of the time when blocks (K, 144) change is told by where they are, if a front moves over the picture."""
    squares = np.einsum("kb,bi,bj->kij", weight, _BENT, _BENT, optimize=True) + 1e-6 * np.eye(_BENT.shape[1])
    told = np.linalg.solve(squares, ((weight * when) @ _BENT)[..., None])[..., 0] @ _BENT.T
    mean = (weight * when).sum(axis=1) / (weight.sum(axis=1) + 1e-9)
    left, all_of_it = ((weight * (when - each) ** 2).sum(axis=1) for each in (told, mean[:, None]))
    return np.asarray(1 - left / (all_of_it + 1e-6))


def _swept(gone: Array, change: Array, before: int, after: int) -> tuple[int, int]:
    """Where the first block of a wipe begins to change, and where the last is done, from (T, 144) changes of blocks."""
    weight = np.abs(change)
    sign = np.where(weight < _NOTHING, np.where(change < 0, -_NOTHING, _NOTHING), change)
    share = (np.clip(gone / sign, 0, 1) * weight).sum(axis=1) / (weight.sum() + 1e-9)
    middle = before + int(np.abs(share[before : after + 1] - 0.5).argmin())
    begun, done = np.flatnonzero(share[:middle] < _ENDS), np.flatnonzero(share[middle:] > 1 - _ENDS)
    return int(begun[-1]) if len(begun) else 0, middle + int(done[0]) if len(done) else len(share) - 1


def _ramp(share: Array, before: int, after: int) -> tuple[int, int]:
    """Where a straight ramp begins and ends that is nearest to the share (T,) of what comes."""
    at = np.arange(len(share))
    for _ in range(_ROUNDS):
        starts = np.arange(0, max(after - _MEAN, 1))
        ramps = np.clip((at - starts[:, None]) / (after - starts[:, None]), 0, 1)
        first = int(starts[np.abs(ramps - share).sum(axis=1).argmin()])
        ends = np.arange(min(first + _MEAN, len(share) - 1), len(share))
        ramps = np.clip((at - first) / np.maximum(ends[:, None] - first, 1), 0, 1)
        last = int(ends[np.abs(ramps - share).sum(axis=1).argmin()])
        if (first, last) == (before, after):
            break
        before, after = first, last
    return before, after


def _fades(seen: _Looks) -> list[_Span]:
    """Fades from and to pictures without any detail, as black is: how much the blocks differ goes straight to nothing."""
    deviation = np.sqrt(seen.varied)
    flat = np.concatenate([[False], deviation < _FLAT, [False]])
    edges = np.flatnonzero(flat[1:] != flat[:-1])
    found = []
    for first, after in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        if (length := _faded(deviation[:first][::-1])) is not None:
            found.append(_Span(TransitionKind.FADE_OUT, first - length - 1, first))
        if (length := _faded(deviation[after:])) is not None:
            found.append(_Span(TransitionKind.FADE_IN, after - 1, after + length))
    return found


def _faded(deviation: Array) -> int | None:
    """Of how many frames a fade is that begins where the deviation (T,) does, and comes up straight; None where none does."""
    best: tuple[float, int] | None = None
    for length in range(_LEAST_FADE, min(LONGEST, len(deviation) - _LEAST_FADE)):
        part = deviation[: length + _STEPS]
        full = float(np.median(part[length:]))
        if full > _DIM:
            ramp = np.minimum(np.arange(1, len(part) + 1) / (length + 1), 1)
            off = float(np.abs(part / full - ramp).mean())
            if off < _FADED and (best is None or off < best[0]):
                best = off, length
    return best[1] if best is not None else None
