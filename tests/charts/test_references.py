"""Chart references: what is read, under which white, and what is refused with line and field."""

import numpy as np
import pytest

from bluffline.charts.measurements import integrate, read_measurements
from bluffline.charts.reference import SHIPPED, load_reference
from bluffline.demo.line_up import TILES
from bluffline.errors import ChartError
from bluffline.signal.colorimetry import white_xyz
from bluffline.signal.difference import delta_e_2000
from clips import signal

PRINTED = 2e-4  # references are printed to three places of Lab
LAYOUT = 'rows = 1\ncolumns = 2\nneutral = ["pale"]\n'
CGATS = """CGATS.17
DESCRIPTOR "Two glazes"
NUMBER_OF_FIELDS 4
BEGIN_DATA_FORMAT
SAMPLE_NAME LAB_L LAB_A LAB_B
END_DATA_FORMAT
NUMBER_OF_SETS 2
BEGIN_DATA
pale 90.0 0.0 0.0
# a note between
"deep blue" 30.0 10.0 -40.0
END_DATA
"""


def written(folder, text, layout=LAYOUT, name="two.txt"):
    path = folder / name
    path.write_text(text)
    if layout:
        path.with_suffix(".toml").write_text(layout)
    return path


def test_the_glaze_chart_has_the_colours_that_the_demo_paints():
    assert np.abs(load_reference("glaze-24").light("bt709") - np.array(TILES)).max() < PRINTED


@pytest.mark.parametrize("name", SHIPPED)
def test_shipped_neutrals_are_neutral_and_in_gamut(name):
    reference = load_reference(name)
    neutral = list(reference.layout.neutral)
    assert np.abs(reference.lab[neutral, 1:]).max() < 1.5
    assert reference.in_gamut("bt709").all()
    assert reference.signal(signal())[neutral].max() < 1


def test_cgats_is_read_with_quoted_names_and_notes(tmp_path):
    reference = load_reference(written(tmp_path, CGATS))
    assert (reference.title, reference.names) == ("Two glazes", ("pale", "deep blue"))
    assert reference.layout.neutral == (0,)
    assert reference.lab[0] == pytest.approx([90, 0, 0], abs=0.01), "a grey under D50 is the same grey under D65"


@pytest.mark.parametrize(
    "rows", ["L,a,b\npale,90,0,0\ndeep blue,30,10,-40\n", "X,Y,Z\npale,73.57,76.3,62.94\ndeep blue,6.97,6.24,17.51\n"]
)
def test_csv_is_read_in_lab_and_xyz(tmp_path, rows):
    reference = load_reference(written(tmp_path, f"# title: Two\nname,{rows}", name="two.csv"))
    expected = load_reference(written(tmp_path, CGATS))
    assert delta_e_2000(reference.lab, expected.lab).max() < 0.1, "the XYZ are rounded"


@pytest.mark.parametrize("white", ["D50", "D65", "A"])
def test_an_even_spectrum_is_the_illuminant_itself(tmp_path, white):
    lengths = range(380, 731, 10)
    header = "# white: " + white + "\nname," + ",".join(f"nm{length}" for length in lengths)
    rows = "\n".join(f"{name}," + ",".join([str(value)] * len(lengths)) for name, value in (("pale", 1.0), ("grey", 0.18)))
    reference = load_reference(written(tmp_path, header + "\n" + rows + "\n", name="s.csv"))
    assert reference.lab == pytest.approx(np.array([[100, 0, 0], [49.5, 0, 0]]), abs=0.3)
    assert integrate(np.array([380.0, 780.0]), np.ones((1, 2)), white)[0, 1] == pytest.approx(1)


def test_colours_outside_the_programme_are_told(tmp_path):
    text = "# white: D65\nname,L,a,b\npale,90,0,0\nlaser green,80,-120,90\n"
    reference = load_reference(written(tmp_path, text, name="g.csv"))
    assert reference.in_gamut("bt709").tolist() == [True, False]


def test_white_of_the_reference_becomes_the_white_of_the_programme(tmp_path):
    reference = load_reference(written(tmp_path, "name,X,Y,Z\npale,96.42,100,82.49\ngrey,9.642,10,8.249\n", name="w.csv"))
    assert reference.xyz[0] == pytest.approx(white_xyz(), abs=1e-3)


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        (CGATS.replace("90.0", "ninety"), "line 9, field LAB_L: “ninety” is not a number."),
        (CGATS.replace("90.0", "nan"), "line 9, field LAB_L: “nan” is not a number."),
        (CGATS.replace("90.0", "190"), "line 9, field LAB_L: 190 does not lie between 0 and 110."),
        (CGATS.replace("90.0 0.0", "90.0 -1E106"), "field LAB_A, LAB_B: 1e+106 does not lie between 0 and 300."),
        (CGATS.replace("90.0 0.0", "90.0"), "line 9: 3 fields where 4 are announced."),
        (CGATS.replace("SETS 2", "SETS 3"), "announces 3 sets of data and holds 2."),
        (CGATS.replace("SETS 2", "SETS two"), "line 7, field NUMBER_OF_SETS: “two” is not a whole number."),
        (CGATS.replace("END_DATA\n", ""), "ends before END_DATA."),
        (CGATS.replace('"deep blue"', "pale"), "two patches are called pale."),
        (CGATS.replace("LAB_A", "LUSTRE"), "has neither LAB_L LAB_A LAB_B"),
        ("just words\n", "it is not a CGATS.17 file."),
        ("name,L,a,b\n", "holds no patches."),
    ],
)
def test_what_is_wrong_is_told_with_line_and_field(tmp_path, text, sentence):
    name = "two.csv" if text.startswith("name") else "two.txt"
    with pytest.raises(ChartError) as raised:
        load_reference(written(tmp_path, text, name=name))
    assert sentence in str(raised.value)
    assert "\n" not in str(raised.value)


@pytest.mark.parametrize(
    ("layout", "sentence"),
    [
        ("rows = 2\ncolumns = 2\n", "4"),
        ("rows = 0\ncolumns = 2\n", "rows must be a whole number between 1 and 100."),
        ('rows = 1\ncolumns = 2\nneutral = ["pink"]\n', "names a patch “pink” that the reference does not have."),
        ('rows = 1\ncolumns = 2\nneutral = ["pale"]\ncolour = 1\n', "colour"),
        ("rows = \n", "is not a layout"),
        (None, "has no layout beside it"),
    ],
)
def test_a_layout_that_does_not_fit_is_refused(tmp_path, layout, sentence):
    with pytest.raises(ChartError, match=sentence):
        load_reference(written(tmp_path, CGATS, layout))


def test_what_is_not_there_is_told():
    with pytest.raises(ChartError, match="neither a file nor one of glaze-24"):
        load_reference("nowhere.txt")


def test_binary_files_are_refused(tmp_path):
    path = tmp_path / "chart.txt"
    path.write_bytes(b"\xff\xfe\x00\x01")
    with pytest.raises(ChartError, match="is not a text file"):
        read_measurements(path)


def test_long_files_take_no_longer_a_line_and_open_quotes_are_a_sentence(tmp_path):
    lines = ["name,L,a,b", *(f"p{n},{n % 100},0,0" for n in range(60_000))]
    (tmp_path / "long.csv").write_text("\n".join(lines))
    assert len(read_measurements(tmp_path / "long.csv").names) == 60_000
    (tmp_path / "open.csv").write_text('name,L,a,b\n"p1,50,0,0\np2,60,0,0\n')
    with pytest.raises(ChartError, match="line 2: a quote is opened and not closed"):
        read_measurements(tmp_path / "open.csv")
