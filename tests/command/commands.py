"""The command line: run as a process of its own, or within this one, which starts at once."""

from __future__ import annotations

import subprocess
import sys

from typer.testing import CliRunner, Result

from vapocline.cli import documents
from vapocline.cli.commands import app

__all__ = ["documents"]  # importing it adds its commands


def run_process(*words: str, given: str = "") -> subprocess.CompletedProcess[str]:
    """Run a command as its users do."""
    return subprocess.run(
        [sys.executable, "-m", "vapocline.cli", *words],
        input=given,
        capture_output=True,
        text=True,
        check=False,
    )


def run(*words: str, given: str = "") -> Result:
    """Run a command in this process. An exception that no command answers fails the test."""
    result = CliRunner().invoke(app, words, input=given)
    if result.exception and not isinstance(result.exception, SystemExit):
        raise result.exception
    return result
