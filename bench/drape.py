"""Figures of draping: joints of a net, and a start that is moved over the sample."""

import time

import numpy as np
from PyQt6.QtTest import QTest

from bench.figures import median
from tartan.core.drape.net import Laying, drape
from tartan.core.drape.triangles import TriangleSurface
from tartan.core.shell import surfaces
from tartan.desktop.app import make_application
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.project.document.samples import radome_cap_project

JOINTS = 20_000


def net_ratio() -> tuple[float, float]:
    """A net of 20 000 joints / places and normals of as many points by NumPy; it in seconds."""
    surface = TriangleSurface(surfaces.dome(0.6, 0.35, 0.02))
    start, way, cell = np.array([0, 0, 0.35]), np.array([1.0, 0.2, 0]), (0.0094, 0.0094)
    counts = (80, 80, 80, 80)
    net = drape(surface, start, way, cell, counts, laying=Laying(over=0.02))
    took = median(lambda: drape(surface, start, way, cell, counts, laying=Laying(over=0.02)), 9)
    u, v = np.linspace(0, 2 * np.pi, JOINTS), np.linspace(0.01, 1.5, JOINTS)

    def evaluate() -> None:
        c, s, cv, sv = np.cos(u), np.sin(u), np.cos(v), np.sin(v)
        np.stack([0.6 * cv * c, 0.6 * cv * s, 0.35 * sv], axis=1)
        normal = np.stack([cv * c / 0.6, cv * s / 0.6, sv / 0.35], axis=1)
        normal /= np.linalg.norm(normal, axis=1, keepdims=True)

    alone = median(evaluate, 25)
    each = took / int(net.laid.sum())
    return each * JOINTS / alone, each * JOINTS


def longest_move() -> float:
    """Longest that the window stands still while the start is moved over the sample [s]."""
    application = make_application(dark=False)
    window = MainWindow(Session(radome_cap_project()))
    window.show()
    window.session.select(station="Part", rungs=(0,))
    QTest.qWait(1500)
    window.part.lay_up.drape.move_start.click()
    longest = 0.0
    for element in range(60, 2900, 140):
        start = time.perf_counter()
        window.part._point(element)
        application.processEvents()
        longest = max(longest, time.perf_counter() - start)
    window.session.history.mark_saved()
    window.shut()
    window.close()
    application.processEvents()
    return longest
