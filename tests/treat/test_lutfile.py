"""LUT files: what is written is what another reader gets, and what is read is what was written."""

from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio  # noqa: N813 – as its own documentation calls it
import pytest

from bluffline.errors import SettingsError
from bluffline.session.stock import StockShelf
from bluffline.treat.bake import bake_cube, bake_curves, baked, cube_within, fitted_cdl, residual, tables_within, worst_off
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_by_luma import ChromaByLuma
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap
from bluffline.treat.kinds.lut import Lut
from bluffline.treat.kinds.matrix import ColourMatrix
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.straighten import Straighten
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import apply_to_colours
from bluffline.treat.lutfile import clf_text, corrections, read_step, step_text_for
from bluffline.treat.reach import Key, Reach
from bluffline.treat.step import Heading
from clips import signal, two_corrections

CHAIN = (
    Straighten(((0.05, 0.02), (0.4, 0.46), (0.9, 0.93))),
    ColourMatrix(((1.2, -0.15, -0.05), (-0.1, 1.25, -0.15), (0.0, -0.2, 1.2))),
)
SOURCE = signal()
COLOURS = np.random.default_rng(6).uniform(0.05, 0.95, (300, 3))
PRINTED = 2e-5  # .cube files are printed to six places, and OpenColorIO computes in single precision
CLOSE = 0.5  # ΔE2000 that a baked chain may be off


def saved(folder, step, ending):
    path = folder / f"made{ending}"
    path.write_text(step_text_for(step, ending))
    return path


def by_another_reader(path, colours):
    transform = ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL)
    processor = ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    out = np.ascontiguousarray(colours, np.float32)
    processor.applyRGB(out)
    return out


@pytest.mark.parametrize(
    ("step", "ending"),
    [
        (bake_cube(CHAIN, SOURCE, 17), ".cube"), (bake_curves(CHAIN[:1], SOURCE), ".cube"),
        (bake_cube(CHAIN, SOURCE, 17), ".clf"),
        (bake_curves(CHAIN[:1], SOURCE), ".clf"), (Cdl((1.1, 1.0, 0.9), (0.02, 0.0, 0.01), (0.9, 1.0, 1.1), 0.8), ".cdl"),
    ],
)  # fmt: skip
def test_another_reader_makes_the_same_of_it_and_so_do_we(tmp_path, step, ending):
    path = saved(tmp_path, step, ending)
    wanted = step.apply(COLOURS, SOURCE)
    assert np.abs(by_another_reader(path, COLOURS) - wanted).max() < 20 * PRINTED
    assert np.abs(read_step(path).apply(COLOURS, SOURCE) - wanted).max() < (PRINTED if ending == ".cube" else 0.003)


@pytest.mark.parametrize("size", [33, 65])
def test_a_baked_chain_is_close_to_the_chain(size):
    assert residual(CHAIN, (bake_cube(CHAIN, SOURCE, size),), SOURCE, COLOURS).max() < CLOSE


def test_what_is_baked_sits_before_the_rest_and_curves_serve_where_they_can():
    treatment = (*CHAIN, ChromaRein(-5, 105))
    lut, rest = baked(treatment, SOURCE)
    assert lut.is_cube and rest == treatment[-1]
    (curves,) = baked(CHAIN[:1], SOURCE)
    assert not curves.is_cube
    with pytest.raises(SettingsError, match="nothing to bake"):
        baked((ChromaRein(-5, 105),), SOURCE)
    with pytest.raises(SettingsError, match="Matrix, which mixes components"):
        bake_curves(CHAIN, SOURCE)


def test_steps_keep_their_order_in_what_is_baked():
    """A remap that stood before a gain stands before it still."""
    remap = LevelRemap(low_in=-30, high_in=80, low_out=0, high_out=100)
    later, ceiling = replace(remap, heading=Heading.SHOT), SoftCeiling(95, 110, 80)
    chain = (remap, Balance((0.5, 0.5, 0.5), light=False), later, ceiling)
    lut, *rest = baked(chain, SOURCE)
    assert rest == [later, ceiling]
    grey = np.full((1, 3), 0.7)
    wanted, made = (apply_to_colours(steps, grey, SOURCE) for steps in (chain, (lut, *rest)))
    assert made == pytest.approx(wanted, abs=1e-6) and not np.allclose(wanted, 0.95)


@pytest.mark.parametrize("work", [bake_cube, bake_curves, baked, fitted_cdl])
def test_what_does_not_reach_everywhere_is_not_baked_and_the_rung_is_named(work):
    chain = (*CHAIN, Balance((1.1, 1.0, 1.0), reach=Reach(key=Key(luma=(20, 80, 5)))))
    with pytest.raises(SettingsError, match="rung 3, Balance: it acts a key, not everywhere"):
        work(chain, SOURCE)
    work((CHAIN[0], replace(chain[2], on=False)), SOURCE)


def test_a_chain_that_is_a_cdl_is_found_as_one():
    wanted = Cdl((1.2, 1.0, 0.8), (0.03, 0.0, -0.02), (0.9, 1.0, 1.1), 0.9)
    found = fitted_cdl((wanted,), SOURCE)
    assert residual((wanted,), (found,), SOURCE, COLOURS).max() < 0.05
    gains = fitted_cdl((Balance((1.2, 1.0, 0.8), light=False),), SOURCE)
    assert gains.slope == pytest.approx((1.2, 1.0, 0.8), abs=0.01)


CUBE = "LUT_3D_SIZE 2\n" + "0 0 0\n" * 8


@pytest.mark.parametrize(
    ("name", "text", "sentence"),
    [
        ("a.cube", CUBE + "0 0 0\n", "announces 8 entries and holds 9"),
        ("a.cube", "0 0 0\n", "announces 0 entries"),
        ("a.cube", CUBE.replace("0 0 0", "0 0 x", 1), "line 2: a number was expected"),
        ("a.cube", "LUT_3D_SIZE 500\n", "line 1: a size of 500 is not between 2 and 129"),
        ("a.cube", "WHATEVER 1\n" + CUBE, "line 1: WHATEVER is not known"),
        ("a.cube", "DOMAIN_MIN 0 0 1\n" + CUBE, "line 1: domains that differ"),
        ("a.cube", CUBE.replace("0 0 0", "0 0 nan", 1), "not a number"),
        ("a.clf", "<ProcessList", "can't be used"),
        ("a.cdl", "<nothing/>", "can't be used"),
        ("a.lut", "x", "is not a LUT that can be read"),
    ],
)
def test_files_that_are_wrong_are_refused_with_the_line(tmp_path, name, text, sentence):
    path = tmp_path / name
    path.write_text(text)
    with pytest.raises(SettingsError, match=sentence) as raised:
        read_step(path)
    assert "\n" not in str(raised.value)


def test_what_is_not_there_and_what_a_file_cannot_hold(tmp_path):
    for ending in (".cube", ".clf"):
        with pytest.raises(SettingsError, match="can't be read"):
            read_step(tmp_path / f"none{ending}")
    with pytest.raises(SettingsError, match=r"may be .cdl or .clf"):
        step_text_for(Cdl(), ".cube")
    with pytest.raises(SettingsError, match=r"may be .cube or .clf"):
        step_text_for(Lut("x", 0, 1, np.zeros((2, 3), np.float32)), ".cdl")


def test_a_saved_table_holds_the_rein_and_how_far_it_is_off_is_the_worst_of_many_colours():
    source = signal()
    ladder = (Tone(saturation=1.6), SoftCeiling(), ChromaRein(-5, 105))
    lut, worst = cube_within(ladder, source, 0.5)
    wild = np.random.default_rng(4).uniform(0, 1, (4000, 3))
    made = apply_to_colours((lut,), wild, source)
    assert made.min() > -0.07 and made.max() < 1.07, "held as the ladder holds it, but for what lies between entries"
    assert residual(ladder, (lut,), source, wild).max() <= worst + 0.3
    without = bake_cube(ladder[:2], source, lut.size)
    assert worst_off(ladder, (without,), source) > 2 > worst, "a table without the rein is told as far off"


def test_where_a_cube_is_too_coarse_for_the_toe_curves_stand_before_it(tmp_path):
    source, steep = signal(), (Cdl(power=(0.45, 0.5, 0.4)), Tone(saturation=1.3))
    (_, *more), near = tables_within((Tone(saturation=1.1),), source, 0.5)
    assert not more and near <= 0.5, "nothing stands before a cube that is near enough"
    tables, worst = tables_within(steep, source, 0.5)
    alone = cube_within(steep, source, 0.5)[1]
    assert len(tables) == 2 and worst < alone / 3
    (tmp_path / "s.clf").write_text(clf_text(tables))
    config = ocio.Config.CreateRaw()
    process = config.getProcessor(ocio.FileTransform(str(tmp_path / "s.clf"))).getDefaultCPUProcessor()
    colours = np.random.default_rng(2).uniform(0, 1, (2000, 3)).astype(np.float32) ** 2
    wanted = apply_to_colours(tables, colours.astype(np.float64), source)
    process.applyRGB(colours)
    assert np.abs(colours - wanted).max() < 2e-4, "and another reader gets the same"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("0 0 0\n1 1 1\nLUT_1D_SIZE 2\n", "its size stands behind entries"),
        ("LUT_1D_SIZE 2\nLUT_3D_SIZE 2\n0 0 0\n1 1 1\n", "it has two sizes"),
        ("LUT_1D_SIZE 2\nDOMAIN_MIN 1 1 1\nDOMAIN_MAX 1 1 1\n0 0 0\n1 1 1\n", "has no extent"),
    ],
)
def test_cube_files_that_say_two_things_or_too_late_are_refused(tmp_path, text, words):
    (tmp_path / "t.cube").write_text(text)
    with pytest.raises(SettingsError, match=words):
        read_step(tmp_path / "t.cube")


def test_a_cdl_saved_as_clf_comes_back_as_that_cdl(tmp_path):
    cdl = Cdl((1.1, 0.9, 1.05), (0.02, -0.01, 0.0), (1.2, 1.0, 0.9), 0.8)
    (tmp_path / "c.clf").write_text(step_text_for(cdl, ".clf"))
    back = read_step(tmp_path / "c.clf")
    assert isinstance(back, Cdl)
    for name in ("slope", "offset", "power", "saturation"):
        assert np.allclose(getattr(back, name), getattr(cdl, name))


def test_of_several_corrections_one_is_chosen_and_none_is_taken_silently(tmp_path):
    path = two_corrections(tmp_path / "two.ccc")
    with pytest.raises(SettingsError, match="holds 2 corrections; say which one: a, b"):
        read_step(path)
    assert [read_step(path, name).slope[0] for name in corrections(path)] == [0.5, 1]
    with pytest.raises(SettingsError, match="holds no correction c"):
        read_step(path, "c")
    shelf = StockShelf(tmp_path / "shelf")
    assert shelf.take_in(path) == "two a, two b" and shelf.take("two a").steps[0].slope[0] == 0.5
    unnamed = two_corrections(tmp_path / "unnamed.ccc", ("", "b"))
    assert corrections(unnamed) == ["correction 1", "b"] and read_step(unnamed, "correction 1").slope[0] == 0.5


@pytest.mark.parametrize("words", ['<Reference path="../o.clf"/>', "<a:Reference inBitDepth='32f' path = '/etc/o.clf' />"])
def test_a_file_that_names_another_is_refused(tmp_path, words):
    (tmp_path / "c.clf").write_text(f'<ProcessList id="b" compCLFversion="3">{words}</ProcessList>')
    with pytest.raises(SettingsError, match=r"names another file, .*o\.clf"):
        read_step(tmp_path / "c.clf")


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("c.spi1d", "Version 1\nFrom 0.0 1.0\nLength 3\nComponents 1\n{\n0.0\n0.25\n1.0\n}\n"),
        ("c.csp", "CSPLUTV100\n1D\n\n" + "2\n0.0 1.0\n0.0 1.0\n" * 3 + "\n3\n0 0 0\n0.25 0.25 0.25\n1 1 1\n"),
    ],
)
def test_what_the_library_reads_is_read_by_it(tmp_path, name, text):
    (tmp_path / name).write_text(text)
    lut = read_step(tmp_path / name)
    made = lut.apply(np.array([[0.5, 0.5, 0.5], [1.0, 1.0, 1.0]]), SOURCE)
    assert np.allclose(made, [[0.25] * 3, [1.0] * 3], atol=0.01)


def test_a_lone_step_on_chroma_is_baked():
    (lut,) = baked((ChromaByLuma(((0.0, 0.5), (100.0, 1.2))),), SOURCE)
    assert isinstance(lut, Lut) and lut.is_cube


def test_an_ending_that_can_not_hold_a_step_is_named_with_those_that_can():
    with pytest.raises(SettingsError, match=r"can't be written as \.gif; it may be \.cdl or \.clf"):
        step_text_for(Cdl(), ".gif")
    with pytest.raises(SettingsError, match=r"can't be written as a file without an ending"):
        step_text_for(Lut("look", 0.0, 1.0, np.linspace(0, 1, 5)[:, None].repeat(3, 1)), "")


def test_a_table_says_what_it_is_and_over_what_it_goes():
    assert Lut("look", -0.1, 1.05, np.zeros((17, 3), np.float32)).text == "look, 3 curves of 17, −10 … 105 %"
