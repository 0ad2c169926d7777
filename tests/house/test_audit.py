"""The audit's page: what nobody answered is said, and never taken for nothing known."""

from __future__ import annotations

import json
import os
import unittest
from pathlib import Path
from unittest.mock import patch

from docs import audit
from tests.parts import folder

# A registry that does not answer: nothing listens on this port.
NOWHERE = {
    "UV_DEFAULT_INDEX": "http://127.0.0.1:9/simple",
    "UV_HTTP_RETRIES": "0",
    "UV_NO_CACHE": "1",
    "npm_config_registry": "http://127.0.0.1:9",
    "npm_config_fetch_retries": "0",
}
FAULTY = {"name": "kettle", "vulns": [{"id": "K-1"}]}
SKIPPED = {"name": "cup", "skip_reason": "no answer"}
FINE = {"name": "spoon", "vulns": []}


class Audit(unittest.TestCase):
    def said(self, found: object) -> Path:
        file = self.enterContext(folder()) / "audit.json"
        file.write_text(found if isinstance(found, str) else json.dumps(found))
        return file

    def test_python_packages_that_were_not_audited_are_no_verdict(self) -> None:
        for found in ("", "<html>", [], {}, {"dependencies": []}, {"dependencies": [SKIPPED]}):
            with self.subTest(found):
                self.assertIn("no verdict", audit.python_faults(self.said(found)))
        self.assertIn("no verdict", audit.python_faults(Path("nowhere")))

    def test_python_faults_are_named_and_the_rest_counted(self) -> None:
        found = audit.python_faults(self.said({"dependencies": [FAULTY, FINE, SKIPPED]}))
        self.assertEqual(found, "kettle K-1 in 2 packages; 1 could not be audited")
        found = audit.python_faults(self.said({"dependencies": [FINE]}))
        self.assertEqual(found, "none in 1 packages")

    def test_the_pages_packages_likewise(self) -> None:
        self.assertIn("no verdict", audit.page_faults(self.said({"error": {"code": "E404"}})))
        answered = {"auditReportVersion": 2, "vulnerabilities": {}}
        self.assertEqual(audit.page_faults(self.said(answered)), "none")
        answered["vulnerabilities"] = {"kettle": {"severity": "high"}}
        self.assertEqual(audit.page_faults(self.said(answered)), "kettle (high)")

    def test_a_registry_that_does_not_answer_marks_nothing_as_fine(self) -> None:
        with patch.dict(os.environ, NOWHERE):
            self.assertIn("no verdict", audit.yanked())
            self.assertIsNone(audit._mark_of("kettle@1.0.0"))
        with patch.object(audit, "_mark_of", lambda _package: None):
            self.assertIn("no verdict", audit.deprecated())
