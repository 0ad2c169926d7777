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


class RedactingFormatter(logging.Formatter):
    """Removes from errors the values that caused them: they may be somebody's notes."""

    def format(self, record: logging.LogRecord) -> str:
        """See logging.Formatter."""
        return REPEATED.sub("(left out)", super().format(record))


def log_to(folder: Path | None) -> None:
    """Log warnings and errors to the terminal, and to a rotated file in `folder` if given."""
    handlers: list[logging.Handler] = [logging.StreamHandler()]
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
        file = folder / "vapocline.log"
        handlers.append(
            RotatingFileHandler(
                file, maxBytes=LARGEST, backupCount=KEPT, encoding="utf-8", delay=True
            )
        )
    for handler in handlers:
        handler.setFormatter(RedactingFormatter(FORM))
        logging.getLogger().addHandler(handler)
