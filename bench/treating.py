"""What treating costs: the pass against OpenColorIO's processor on the same chain, and memory.

Part of ``make bench``, or alone; single-threaded where it compares, by turns, on a 1080p frame of the demo.
"""

import subprocess
import sys
import tempfile
from pathlib import Path
from statistics import median

import numpy as np
import PyOpenColorIO as ocio  # noqa: N813 (as everybody calls it)

from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.treat.curves import follow_curve
from bluffline.treat.encodings import encodings
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.bands import Band, Bands
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_by_luma import ChromaByLuma
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.level_remap import LevelRemap
from bluffline.treat.kinds.log import Log
from bluffline.treat.kinds.look import Look
from bluffline.treat.kinds.matrix import ColourMatrix
from bluffline.treat.kinds.neutral_scale import NeutralScale
from bluffline.treat.kinds.sharpen import Sharpen
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.straighten import Straighten
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.stored import treatment_text
from run import in_turns, make, told_ratio
from table import tell

GREYS = tuple(tuple((x, x + bend * x * (1 - x)) for x in (0.04, 0.2, 0.4, 0.6, 0.75, 0.92)) for bend in (0.1, 0.0, -0.12))
MATRIX = ((1.2, -0.1, -0.1), (-0.2, 1.3, -0.1), (0.0, -0.3, 1.3))
FIT = (NeutralScale(*GREYS), ColourMatrix(MATRIX))
PRIMARY = Tone(lift=(2, 0, -1, 0.5), gamma=(1.1, 1, 0.95, 1.05), gain=(0.98, 1, 1.02, 1), saturation=1.1)
SEVEN = (*FIT, PRIMARY, NeutralScale(*GREYS[::-1]), Tone(saturation=0.95))
NINE = (
    LevelRemap(low_in=-1, high_in=102), Balance((1.05, 1.0, 0.95)),
    Tone(0.2, gamma=(1.05, 1, 1, 1), contrast=1.1, saturation=1.05), Straighten(GREYS[0]), ColourMatrix(MATRIX),
    HueNudge(turn=8), Cdl((1.02, 1, 0.98), power=(1.02, 1, 1), saturation=1.05), SoftCeiling(100, 109, 88), ChromaRein(-1, 103),
)  # fmt: skip
DRAWN = {
    "five bands": Bands(tuple(Band(low, low + 15, 8, 2, -1, 1, 1.1) for low in (0, 20, 40, 60, 80))),
    "curves": Curves(((0, 0), (25, 20), (50, 52), (75, 80), (100, 100)), red=((0, 2), (100, 98))),
    "colours by hue": Hues(((-130, 12), (0, 0), (120, -8)), ((-130, 1.2), (60, 0.8)), ((100, 2),)),
    "chroma by luma": ChromaByLuma(((5, 0.5), (40, 1.1), (90, 0.6))),
    "log to display": Log(encodings()[-1]),
    "look at half strength": Look("look", 50, (PRIMARY,)),
    "sharpen": Sharpen(100, 1.2),
}
PEAK = """
import sys
import numpy as np
from pathlib import Path
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.stored import load_treatment
programme = probe(Path(sys.argv[1]))
with Reader(programme) as reader:
    planes = tuple(np.array(plane) for plane in reader.planes(0))
ready = FrameTreatment(load_treatment(Path(sys.argv[2]))[1], programme.format)
def peak():
    return next(int(line.split()[1]) for line in open("/proc/self/status") if line.startswith("VmHWM")) * 1024
ready.apply(planes)
open("/proc/self/clear_refs", "w").write("5")
before = peak()
made = ready.apply(planes)
print(peak() - before)
"""


def curves(points) -> "ocio.Lut1DTransform":  # type: ignore[no-untyped-def]
    """Curves through points, as fine as a LUT commonly is."""
    lut, axis = ocio.Lut1DTransform(4096, False), np.linspace(0, 1, 4096)
    lut.setData(np.stack([follow_curve(each, axis) for each in points], axis=-1).astype(np.float32).ravel())
    return lut


def camera(*, back: bool) -> "ocio.ExponentWithLinearTransform":
    """The BT.709 camera curve."""
    way = ocio.TRANSFORM_DIR_INVERSE if back else ocio.TRANSFORM_DIR_FORWARD
    return ocio.ExponentWithLinearTransform(
        gamma=[1 / 0.45] * 3 + [1], offset=[0.099] * 3 + [0], negativeStyle=ocio.NEGATIVE_LINEAR, direction=way
    )


def primary() -> "ocio.GradingPrimaryTransform":
    """Lift, gamma, gain and saturation."""
    values = ocio.GradingPrimary(ocio.GRADING_VIDEO)
    values.lift = ocio.GradingRGBM(0, -0.01, 0.005, 0.02)
    values.gamma = ocio.GradingRGBM(1, 0.95, 1.05, 1.1)
    values.gain = ocio.GradingRGBM(1, 1.02, 1, 0.98)
    values.saturation = 1.1
    return ocio.GradingPrimaryTransform(values, ocio.GRADING_VIDEO, False)


def against_ocio(planes, source) -> None:  # type: ignore[no-untyped-def]
    """The chart fit, and seven operations: ours from and to 4:2:2 codes, theirs on ready float32 R′G′B′."""
    matrix = np.eye(4)
    matrix[:3, :3] = MATRIX
    fit = [curves(GREYS), camera(back=False), ocio.MatrixTransform(matrix.ravel().tolist()), camera(back=True)]
    pale = ocio.CDLTransform(sat=0.95)
    pale.setStyle(ocio.CDL_NO_CLAMP)
    seven = [*fit, primary(), curves(GREYS[::-1]), pale]
    levels = source.levels
    rgb = np.stack([(plane.astype(np.float32) - levels.black) / levels.swing for plane in [planes[0]] * 3], axis=-1).copy()
    for name, ladder, chain in (("chart fit", FIT, fit), ("seven operations", SEVEN, seven)):
        ready = FrameTreatment(ladder, source)
        built = ocio.Config.CreateRaw().getProcessor(ocio.GroupTransform(chain))
        usual, exact = built.getDefaultCPUProcessor(), built.getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)
        ours, theirs, slow = in_turns(
            lambda ready=ready: ready.apply(planes),
            lambda usual=usual: usual.applyRGB(rgb.copy()),
            lambda exact=exact: exact.applyRGB(rgb.copy()),
        )
        tell(f"{name}, 1080p 4:2:2 both ways, one thread", median(ours) * 1000, "ms")
        told_ratio(f"{name} × OpenColorIO on ready R′G′B′ with its usual shortcuts", ours, theirs, least=3)
        told_ratio(f"{name} × OpenColorIO without shortcuts", ours, slow)


def each_kind(planes, source) -> None:  # type: ignore[no-untyped-def]
    """The kinds that an operator draws, each alone against a primary correction."""
    plain = FrameTreatment((PRIMARY,), source)
    for name, step in DRAWN.items():
        ready = FrameTreatment((step,), source)
        own, tone = in_turns(lambda ready=ready: ready.apply(planes), lambda: plain.apply(planes))
        told_ratio(f"{name}, one thread: × the time of a primary correction", tone, own)


def memory(clip: Path, folder: Path) -> None:
    """What treating a frame takes."""
    treatment = folder / "nine.json"
    treatment.write_text(treatment_text("nine", NINE))
    told = subprocess.run(
        [sys.executable, "-c", PEAK, str(clip), str(treatment)], check=True, capture_output=True, text=True
    ).stdout
    tell("memory of treating a frame under nine rungs × its own float32 R′G′B′", int(told) / (1920 * 1080 * 3 * 4), "×", most=3)


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        clip = make(folder / "prores-1080.mov", "prores", (1920, 1080), 12, {"profile": "3"})
        programme = probe(clip)
        with Reader(programme) as reader:
            planes = tuple(np.array(plane) for plane in reader.planes(10) or ())
        against_ocio(planes, programme.format)
        each_kind(planes, programme.format)
        memory(clip, folder)


if __name__ == "__main__":
    main()
