"""A dome's meridian in points, with what is wound on it so far."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.vessel.filler import inside_crest, ring_volume
from tartan.core.vessel.meridian import Dome, Profile
from tartan.core.vessel.winding import Helical, WoundDome

Array = NDArray[np.float64]

POINTS = 240
"""Points of a meridian that is moved outwards."""


class MeridianLine:
    """Points from the equator inwards; `height` is what is wound on each so far [m]."""

    def __init__(self, dome: Dome, opening: float) -> None:
        self.dome, self.opening = dome, opening
        r, z, sine = [], [], []
        pieces = dome.pieces(opening)
        for piece in pieces:
            tau = np.linspace(0.0, 1.0, max(3, POINTS // len(pieces)))
            at = piece.at(tau)
            keep = slice(0 if piece is pieces[0] else 1, None)
            r.append(at[0][keep])
            z.append(at[1][keep])
            length = np.hypot(at[2], at[3])
            sine.append(np.stack([at[3] / length, -at[2] / length])[:, keep])
        self.r, self.z = np.concatenate(r), np.concatenate(z)
        # Outward normal: across the way of the meridian, which goes inwards.
        self.normal = np.concatenate(sine, axis=1)
        self.height = np.zeros(self.r.shape)
        self.arc = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(self.r), np.diff(self.z)))])
        # Rises along the meridian wherever it runs, flat or upright.
        self.mark = np.maximum.accumulate(self.r[0] - self.r + self.z)

    def arc_at(self, radius: Array, rise: Array) -> Array:
        """Length from the equator to places by radius and height over it, of one shape [m]."""
        return np.asarray(np.interp(self.r[0] - radius + rise, self.mark, self.arc))

    def filled(
        self, made: WoundDome, more: float, layer: Helical, over: Array
    ) -> tuple[tuple[Array, Array], float]:
        """Top of a layer and its resin by arc, of shape (q,), and its volume [m, m, m³]."""
        near = np.linspace(made.inner, made.outer, 1200)
        arc = np.union1d(self.arc, np.interp(-near, -over, self.arc))
        laid = more * made.thickness(np.interp(arc, self.arc, over))
        top = inside_crest(arc, laid, layer.run_out)
        radius = np.interp(arc, self.arc, over)
        return (arc, top), ring_volume(arc, radius, np.maximum(top - laid, 0.0))

    def outer(self) -> Array:
        """Radii of the surface as it is wound, at the points, shape (q,) [m]."""
        return np.asarray(self.r + self.height * self.normal[0])

    def surface(self) -> Dome:
        """The surface as it is wound."""
        if not self.height.any():
            return self.dome
        r, z = self.outer(), self.z + self.height * self.normal[1]
        least = np.minimum.accumulate(r)
        # Where a thick layer below leans over, its edge is what the next one lies on.
        keep = np.concatenate([[True], r[1:] < least[:-1] - 1e-9 * r[0]])
        points = list(zip(r[keep].tolist(), z[keep].tolist(), strict=True))
        if points[-1][0] > self.opening:
            # The boss holds what is wound against it: the surface goes on straight to it.
            (ra, za), (rb, zb) = points[-2:]
            end = zb + (zb - za) / (rb - ra) * (self.opening - rb)
            points.append((self.opening * (1 - 1e-9), end))
        return Profile(tuple(points))
