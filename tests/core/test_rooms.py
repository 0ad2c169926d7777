"""The rooms of the house: who may import whom, kept by a walk through every import."""

from __future__ import annotations

import ast
import unittest
from pathlib import Path

import vapocline

HOUSE = Path(vapocline.__path__[0])
OURS = {
    "core": {"core"},
    "store": {"core", "store"},
    "devices": {"core", "devices"},
    "desk": {"core", "store", "devices", "desk"},
    "api": {"core", "desk", "api"},
    "demo": {"core", "desk", "demo"},
}
THEIRS_NEVER = {
    "core": {
        "sqlalchemy",
        "fastapi",
        "alembic",
        "psycopg",
        "asyncio",
        "socket",
        "time",
        "random",
        "os",
    },
    "store": {"fastapi", "starlette"},
    "devices": {"fastapi", "sqlalchemy"},
    "desk": {"fastapi", "starlette"},
    "api": {"numpy", "numba", "scipy"},
}


def imports(file: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
    return found


class Rooms(unittest.TestCase):
    def test_no_room_imports_one_it_may_not(self) -> None:
        for room, allowed in OURS.items():
            files = list((HOUSE / room).rglob("*.py"))
            self.assertTrue(files, room)
            for file in files:
                for name in imports(file):
                    parts = name.split(".")
                    if parts[0] == "vapocline":
                        self.assertIn(parts[1], allowed, f"{file} imports {name}")
                    else:
                        self.assertNotIn(
                            parts[0], THEIRS_NEVER.get(room, set()), f"{file} imports {name}"
                        )
