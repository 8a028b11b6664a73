"""Making a report in a process of its own, so that the window goes on meanwhile."""

from __future__ import annotations

import contextlib
import os
from multiprocessing.connection import Connection

from tartan.core.errors import TartanError
from tartan.exchange.report.request import ReportRequest
from tartan.project.wording import units


def serve(connection: Connection) -> None:
    """Make one report when it is asked for, and tell of it: steps, then done or failed.

    What writes a report takes seconds to load; a process that stands ready has it loaded.

    Parameters
    ----------
    connection : Connection
        Where the request comes from, with the units that figures are written in, and where to
        tell.
    """
    import numba

    # Loaded here: the window, which starts this process, needs nothing of what writes a report.
    from tartan.exchange.report.write import report_steps

    # The window comes first; but a machine that is busy otherwise still makes a report.
    os.nice(10)
    # One thread of arithmetic, so that a core is left for the window.
    numba.set_num_threads(1)
    with contextlib.suppress(BrokenPipeError, EOFError, KeyboardInterrupt):
        request: ReportRequest
        request, system = connection.recv()
        try:
            units.use_system(system)
            for step in report_steps(request):
                connection.send(("step", step))
        except TartanError as error:
            connection.send(("failed", error))
        except Exception as error:  # noqa: BLE001 - whatever happens, the window must hear of it
            what = f"The report broke off ({type(error).__name__}: {error})."
            connection.send(("failed", TartanError(what, "Report", "Please report this.")))
        else:
            connection.send(("done", None))
