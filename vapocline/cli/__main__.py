"""Every command in one."""

from __future__ import annotations

from vapocline.cli import application, documents, generated
from vapocline.cli.commands import app

__all__ = ["application", "documents", "generated"]  # importing them adds their commands

if __name__ == "__main__":
    app()
