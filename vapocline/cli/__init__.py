"""The command line: what each command does is in a file of its kind."""

from __future__ import annotations
