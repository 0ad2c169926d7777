"""Logs: what went wrong, without what people wrote, and never too much of it."""

from __future__ import annotations

import logging
import unittest
from pathlib import Path
from unittest.mock import patch

from pydantic import ValidationError
from sqlalchemy.exc import IntegrityError

from tests.parts import folder, fresh_database
from vapocline.core.coffee.coffee import Coffee
from vapocline.runtime import logs
from vapocline.runtime.logs import log_to
from vapocline.store.database import connect, sessions_for
from vapocline.store.tables import CoffeeRow

SECRET = "tastes of my aunt's cellar"


class Logs(unittest.TestCase):
    def setUp(self) -> None:
        root = logging.getLogger()
        before = root.handlers[:]
        self.addCleanup(setattr, root, "handlers", before)
        self.folder: Path = self.enterContext(folder()) / "log"

    def logged(self) -> str:
        return "".join(one.read_text() for one in self.folder.iterdir())

    def test_an_error_is_logged_without_the_notes_it_was_about(self) -> None:
        log_to(self.folder)
        sessions = sessions_for(connect(fresh_database()))
        for _ in range(2):
            try:
                with sessions.begin() as session:
                    session.add(CoffeeRow(name=SECRET, roast="light", note=SECRET))
            except IntegrityError:
                logging.exception("storing a coffee failed")
        try:
            Coffee.model_validate({"name": "A", "roast": SECRET})
        except ValidationError:
            logging.exception("reading a coffee failed")
        said = self.logged()
        self.assertIn("storing a coffee failed", said)
        self.assertIn("uq_coffees_name", said)
        self.assertIn("reading a coffee failed", said)
        self.assertIn("Traceback", said)
        self.assertNotIn(SECRET, said)

    def test_without_a_data_folder_the_terminal_is_told_without_the_notes_too(self) -> None:
        log_to(None)
        handler = logging.getLogger().handlers[-1]
        said = handler.format(
            logging.makeLogRecord({"msg": f"refused\nDETAIL:  Failing row: {SECRET}"})
        )
        self.assertIn("refused", said)
        self.assertNotIn(SECRET, said)
        self.assertFalse(self.folder.exists())

    def test_the_log_is_rotated_and_old_ones_go(self) -> None:
        with patch.object(logs, "LARGEST", 2000), patch.object(logs, "KEPT", 2):
            log_to(self.folder)
        for number in range(300):
            logging.warning("something happened for the %d. time", number)
        files = sorted(one.name for one in self.folder.iterdir())
        self.assertEqual(files, ["vapocline.log", "vapocline.log.1", "vapocline.log.2"])
        self.assertLess(sum(one.stat().st_size for one in self.folder.iterdir()), 6200)
