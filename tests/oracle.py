"""What a treatment makes of a frame, in double precision and plain NumPy: what the compiled pass is held to."""

import numpy as np

from bluffline.measure.areas import Shape
from bluffline.signal.format import Model
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.ladder import in_force


def up_matrices(source):
    """(H, rows) and (W, columns): what every luma row and column takes of chroma's."""
    columns, rows = source.chroma_size
    down, across = np.zeros((source.height, rows)), np.zeros((source.width, columns))
    taps = source.row_taps
    for row in range(source.height):
        down[row, taps.first[row]] += 1 - float(taps.weight[row])
        down[row, taps.second[row]] += float(taps.weight[row])
    for x in range(source.width):
        k = x // 2 if source.halved[0] else x
        if not source.halved[0]:
            across[x, k] = 1
            continue
        between = source.siting.between_columns
        beside, share = (k - 1, 0.25 if between else 0.0) if x % 2 == 0 else (k + 1, 0.25 if between else 0.5)
        across[x, k] += 1 - share
        across[x, min(max(beside, 0), columns - 1)] += share
    return down, across


def down_matrices(source):
    """(rows, H) and (columns, W): what every chroma site takes of luma's rows and columns."""
    columns, rows = source.chroma_size
    down, across = np.zeros((rows, source.height)), np.zeros((columns, source.width))
    for site in range(rows):
        if not source.halved[1]:
            down[site, site] = 1
            continue
        fields = 2 if source.interlaced else 1
        field, own = site % fields, site // fields
        last = (source.height - 1 - field) // fields
        below = source.siting.below
        if below == 0.5 and source.interlaced:
            shares = {0: 0.75, 1: 0.25} if field == 0 else {0: 0.25, 1: 0.75}
        else:
            shares = {0.5: {0: 0.5, 1: 0.5}, 0.0: {-1: 0.25, 0: 0.5, 1: 0.25}, 1.0: {0: 0.25, 1: 0.5, 2: 0.25}}[below]
        for step, share in shares.items():
            down[site, min(max(2 * own + step, 0), last) * fields + field] += share
    for site in range(columns):
        if not source.halved[0]:
            across[site, site] = 1
            continue
        shares = {0: 0.5, 1: 0.5} if source.siting.between_columns else {-1: 0.25, 0: 0.5, 1: 0.25}
        for step, share in shares.items():
            across[site, min(max(2 * site + step, 0), source.width - 1)] += share
    return down, across


def area_weights(reach, width, height):
    """Weights of rectangles and polygons without a hole, by distances to their lines."""
    y, x = np.mgrid[0:height, 0:width] + 0.5
    whole = np.zeros((height, width))
    for area in reach.areas:
        inside = area.outline(width, height).mask(width, height)
        points = [(px * width / 100, py * height / 100) for px, py in area.points]
        if area.shape is Shape.RECTANGLE:
            (x0, y0), (x1, y1) = points
            away = np.hypot(np.maximum(np.maximum(x0 - x, x - x1), 0), np.maximum(np.maximum(y0 - y, y - y1), 0))
        else:
            away = np.full((height, width), np.inf)
            for (x0, y0), (x1, y1) in zip(points, [*points[1:], points[0]], strict=True):
                dx, dy = x1 - x0, y1 - y0
                part = np.clip(((x - x0) * dx + (y - y0) * dy) / (dx * dx + dy * dy), 0, 1)
                away = np.minimum(away, np.hypot(x - x0 - part * dx, y - y0 - part * dy))
        feather = area.feather / 100 * height
        t = np.clip(away / feather, 0, 1) if feather else np.ones_like(away)
        whole = np.maximum(whole, np.where(inside, 1.0, 1 - t * t * (3 - 2 * t)))
    return whole if reach.inside else 1 - whole


def through(treatment, rgb, source):
    """(H, W, 3) R′G′B′ through the steps in force, mixed where they reach."""
    height, width = rgb.shape[:2]
    for step in in_force(treatment):
        made = step.apply_to_picture(rgb, source)
        weights = np.ones((height, width))
        if step.reach.key is not None:
            weights = step.reach.key.weights(rgb, source.matrix)
            weights = 1 - weights if step.reach.key.inverted else weights
        if step.reach.areas:
            weights = weights * area_weights(step.reach, width, height)
        rgb = rgb + (made - rgb) * weights[..., None]
    return rgb


def treated(treatment, planes, source):
    """Codes, unrounded and unbounded: three planes."""
    levels = source.levels
    if source.model is Model.RGB:
        rgb = (np.stack(planes, axis=-1).astype(float) - levels.black) / levels.swing
        return list(np.moveaxis(through(treatment, rgb, source) * levels.swing + levels.black, -1, 0))
    sites = [(plane.astype(float) - levels.zero) / levels.span for plane in planes[1:]]
    down, across = up_matrices(source)
    fine = [down @ plane @ across.T for plane in sites]
    luma = (planes[0].astype(float) - levels.black) / levels.swing
    before = np.stack([luma, *fine], axis=-1)
    after = rgb_to_ycbcr(through(treatment, ycbcr_to_rgb(before, source.matrix), source), source.matrix)
    down, across = down_matrices(source)
    changed = [plane + down @ (after - before)[..., n + 1] @ across.T for n, plane in enumerate(sites)]
    return [after[..., 0] * levels.swing + levels.black, *(plane * levels.span + levels.zero for plane in changed)]
