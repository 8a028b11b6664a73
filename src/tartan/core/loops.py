"""All compiled loops of the core: compiled with the program, and read before they are needed."""

from tartan.core.criteria import kernels, program
from tartan.core.drape import net, pattern
from tartan.core.search import candidates, orders
from tartan.core.shell import force_gradients, sweep, within

WITH_LOOPS = (
    kernels,
    program,
    sweep,
    force_gradients,
    net,
    pattern,
    within,
    candidates,
    orders,
)


def compile_all() -> None:
    """Compile and keep every loop, which takes a minute, or read it from where it is kept."""
    for module in WITH_LOOPS:
        module.compile_all()


if __name__ == "__main__":
    compile_all()
