"""The application's log: in the data folder, rotated, without what people wrote."""

from __future__ import annotations

import logging
import re
from logging.handlers import RotatingFileHandler
from pathlib import Path

LARGEST, KEPT = 1_000_000, 5  # bytes, and files before the newest
FORM = "%(asctime)s %(levelname)s %(name)s: %(message)s"
# What an error repeats of the values at fault: PostgreSQL's rows and keys, Pydantic's input.
REPEATED = re.compile(
    r"^(DETAIL|CONTEXT):.*$|\[parameters: .*\]|input_value=.*(?=, input_type=)", re.MULTILINE
)


class Discreet(logging.Formatter):
    """Leaves out of an error the values it was about: they may be somebody's notes."""

    def format(self, record: logging.LogRecord) -> str:
        """See logging.Formatter."""
        return REPEATED.sub("(left out)", super().format(record))


def log_into(folder: Path) -> None:
    """Write warnings and errors into a folder's log besides the terminal."""
    folder.mkdir(parents=True, exist_ok=True)
    file = RotatingFileHandler(
        folder / "vapocline.log", maxBytes=LARGEST, backupCount=KEPT, encoding="utf-8", delay=True
    )
    for handler in (file, logging.StreamHandler()):
        handler.setFormatter(Discreet(FORM))
        logging.getLogger().addHandler(handler)
