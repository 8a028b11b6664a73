"""How many samples a pixel gets: none where no graphics processor draws."""

from functools import cache
from typing import Any

from PyQt6.QtGui import QOffscreenSurface, QOpenGLContext
from PyQt6.QtOpenGL import QOpenGLVersionFunctionsFactory, QOpenGLVersionProfile

from tartan.core.shell.mesh import Mesh

SAMPLES = 2
"""Samples a pixel where a graphics processor draws."""

LARGE = 15_000
"""Elements above which frames are drawn unsmoothed."""

_RENDERER = 0x1F01  # GL_RENDERER
_IN_SOFTWARE = ("llvmpipe", "softpipe", "swrast", "swiftshader", "software")


@cache
def drawn_in_software() -> bool:
    """Whether OpenGL draws on the processor; smoothing doubles its time for little to see."""
    context, surface = QOpenGLContext(), QOffscreenSurface()
    surface.create()
    if not context.create() or not context.makeCurrent(surface):
        return True
    try:
        profile = QOpenGLVersionProfile()
        profile.setVersion(2, 0)
        functions: Any = QOpenGLVersionFunctionsFactory.get(profile, context)
        name = str(functions.glGetString(_RENDERER)) if functions else ""
    finally:
        context.doneCurrent()
    return any(word in name.lower() for word in _IN_SOFTWARE)


def samples(mesh: Mesh | None = None) -> int:
    """Samples a pixel for a view of a mesh; a large mesh shows no difference."""
    large = mesh is not None and mesh.count > LARGE
    return 0 if large or drawn_in_software() else SAMPLES
