"""The program's log: one JSON line an event, to a file that is rotated; what is logged is said where it happens."""

from __future__ import annotations

import logging
from logging.handlers import RotatingFileHandler
from pathlib import Path

import structlog

MAX_BYTES, FILES = 4 * 1024 * 1024, 5
_handler = logging.getLogger("vane_step")
_handler.addHandler(logging.NullHandler())
_handler.propagate = False
structlog.configure(
    processors=[
        structlog.stdlib.filter_by_level,
        structlog.processors.add_log_level,
        structlog.processors.TimeStamper(fmt="iso", utc=True),
        structlog.processors.format_exc_info,
        structlog.processors.JSONRenderer(),
    ],
    logger_factory=structlog.stdlib.LoggerFactory(),
    cache_logger_on_first_use=True,
)
log = structlog.stdlib.get_logger("vane_step")


def write_to(path: Path, verbose: bool = False) -> bool:
    """Send the log to a file, rotated at 4 MB, four older ones kept; tells whether the file can be written.

    ``verbose`` sends it to the terminal as well. Later calls send it elsewhere. A log that cannot be written stops
    nobody from working.
    """
    for old in list(_handler.handlers):
        _handler.removeHandler(old)
        old.close()
    _handler.setLevel(logging.INFO)
    if verbose:
        shown = logging.StreamHandler()
        shown.setFormatter(logging.Formatter("%(message)s"))
        _handler.addHandler(shown)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        file = RotatingFileHandler(path, maxBytes=MAX_BYTES, backupCount=FILES - 1, encoding="utf-8")
    except OSError:
        _handler.addHandler(logging.NullHandler())
        return False
    file.setFormatter(logging.Formatter("%(message)s"))
    # A full disk must not turn an answer into a fault.
    file.handleError = lambda record: None  # type: ignore[method-assign]
    _handler.addHandler(file)
    return True


def close() -> None:
    """Close the file."""
    for old in list(_handler.handlers):
        _handler.removeHandler(old)
        old.close()
    _handler.addHandler(logging.NullHandler())
