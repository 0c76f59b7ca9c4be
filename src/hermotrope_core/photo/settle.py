"""Setting a mark exactly: to the corner, cross or spot that lies under it.

Every edge near a corner points its gradient across itself, so the corner is where all these edges meet: the point q
that makes the sum of (g . (p - q))^2 least over the window (Förstner and Gülch 1987). For a round spot the edges'
normals meet in its centre alike.
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

Grey = NDArray[np.float64] | NDArray[np.uint8]
"""Shape (height, width), light and dark in any unit."""
ROUNDS = 25
SETTLED_PX = 0.005
SMOOTHED_PX = 1.2
"""Gradients are taken of the picture smoothed so far: noise has no edges."""
LEAST_RATIO = 0.02
"""Of the weaker to the stronger direction of the edges; below, there is an edge but no corner."""


def settled(grey: Grey, x: float, y: float, radius: int = 8) -> tuple[float, float] | None:
    """The corner or spot within `radius` pixels of (x, y); None where there is none, or it lies outside the picture.

    Pixels count from the centre of the first one, as in arrays.
    """
    at = np.array([x, y], float)
    for _ in range(ROUNDS):
        step = _step(grey, at, radius)
        if step is None:
            return None
        at += step
        if np.hypot(*(at - (x, y))) > radius:
            return None
        if np.hypot(*step) < SETTLED_PX:
            break
    return float(at[0]), float(at[1])


def _step(grey: Grey, at: NDArray[np.float64], radius: int) -> NDArray[np.float64] | None:
    """From a point to where the edges around it meet."""
    left, top = (round(float(v)) - radius for v in at)
    if left < 1 or top < 1 or top + 2 * radius + 2 > grey.shape[0] or left + 2 * radius + 2 > grey.shape[1]:
        return None
    window = grey[top - 1 : top + 2 * radius + 2, left - 1 : left + 2 * radius + 2].astype(float)
    gx, gy = (scipy.ndimage.gaussian_filter(window, SMOOTHED_PX, order=order)[1:-1, 1:-1] for order in ((0, 1), (1, 0)))
    rows, columns = np.mgrid[0 : 2 * radius + 1, 0 : 2 * radius + 1]
    dx, dy = columns + left - at[0], rows + top - at[1]
    weight = np.exp(-(dx * dx + dy * dy) / (2.0 * (radius / 2.0) ** 2))
    xx, xy, yy = (float((weight * a * b).sum()) for a, b in ((gx, gx), (gx, gy), (gy, gy)))
    tensor = np.array([[xx, xy], [xy, yy]])
    weak, strong = np.linalg.eigvalsh(tensor)
    if strong <= 0 or weak < LEAST_RATIO * strong:
        return None
    along = gx * dx + gy * dy
    right = np.array([(weight * gx * along).sum(), (weight * gy * along).sum()])
    return np.asarray(np.linalg.solve(tensor, right))
