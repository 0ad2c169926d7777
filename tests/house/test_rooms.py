"""The rooms of the house: who may import whom is in rooms.toml, kept by a walk through imports."""

from __future__ import annotations

import ast
import tomllib
import unittest
from collections.abc import Iterator
from functools import cache
from graphlib import TopologicalSorter
from importlib import import_module
from pathlib import Path

import vapocline

HOUSE = Path(vapocline.__path__[0])
CONTRACT = tomllib.loads((HOUSE.parent / "rooms.toml").read_text())
ROOMS: dict[str, dict[str, list[str]]] = CONTRACT["rooms"]
SPLIT = ("core", "desk")  # rooms that consist of rooms


def modules() -> Iterator[tuple[str, Path]]:
    """Every module of ours by its dotted name below vapocline."""
    for file in sorted(HOUSE.rglob("*.py")):
        parts = file.relative_to(HOUSE).with_suffix("").parts
        name = ".".join(parts[:-1] if parts[-1] == "__init__" else parts)
        if name and name not in SPLIT:
            yield name, file


def room_of(name: str) -> str:
    """The room a module is in: "core.plan.goal" is in core.plan."""
    parts = name.split(".")
    return ".".join(parts[:2]) if parts[0] in SPLIT else parts[0]


@cache
def parsed(file: Path) -> ast.Module:
    return ast.parse(file.read_text())


def names_of(file: Path) -> Iterator[tuple[str, bool]]:
    """The classes and types that a module makes, each with whether it is a class."""
    for node in parsed(file).body:
        if isinstance(node, ast.ClassDef):
            yield node.name, True
        elif isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name):
            yield node.targets[0].id, False


@cache
def imports(file: Path) -> tuple[str, ...]:
    return tuple(_imports(file))


def _imports(file: Path) -> Iterator[str]:
    for node in ast.walk(parsed(file)):
        if isinstance(node, ast.Import):
            yield from (name.name for name in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
            yield from (f"{node.module}.{name.name}" for name in node.names)


def allowed(room: str) -> set[str]:
    """Every room that one may import, itself included."""
    found = {room}
    for name in ROOMS[room]["imports"]:
        lead = name.removesuffix("*")
        found |= {one for one in ROOMS if one.startswith(lead)} if lead != name else {name}
    return found


def ours(name: str) -> str | None:
    """The room that an imported name of ours leads to; None for a package that only holds rooms."""
    below = name.removeprefix("vapocline.")
    if below == name or below in SPLIT:
        return None
    return room_of(below)


class Names(unittest.TestCase):
    def test_the_name_of_a_class_means_one_thing(self) -> None:
        made: dict[str, list[tuple[str, bool]]] = {}
        for module, file in modules():
            for name, is_class in names_of(file):
                made.setdefault(name, []).append((module, is_class))
        twice = {
            name: [module for module, _ in places]
            for name, places in made.items()
            if len(places) > 1 and any(is_class for _, is_class in places)
        }
        self.assertEqual(twice, {})


class Benchmarks(unittest.TestCase):
    def test_each_can_be_imported(self) -> None:
        """They are run by hand: a name that is gone would be missed until then."""
        for file in sorted((HOUSE.parent / "benchmarks").glob("*.py")):
            if file.stem != "__main__":  # what it imports is imported here
                with self.subTest(file.name):
                    import_module(f"benchmarks.{file.stem}")


class Rooms(unittest.TestCase):
    def test_every_room_is_in_the_contract_and_the_contract_has_no_other(self) -> None:
        self.assertEqual({room_of(name) for name, _ in modules()}, set(ROOMS))

    def test_no_room_imports_one_it_may_not(self) -> None:
        for name, file in modules():
            for imported in imports(file):
                room = ours(imported)
                if room is not None:
                    self.assertIn(room, allowed(room_of(name)), f"{name} imports {imported}")

    def test_no_room_imports_a_foreign_package_it_never_may(self) -> None:
        for name, file in modules():
            never = CONTRACT["never"].get(name.split(".")[0], [])
            for imported in imports(file):
                self.assertNotIn(imported.split(".")[0], never, f"{name} imports {imported}")

    def test_what_may_be_imported_goes_round_in_no_circle(self) -> None:
        rooms = TopologicalSorter({room: allowed(room) - {room} for room in ROOMS})
        self.assertEqual(set(rooms.static_order()), set(ROOMS))  # a CycleError names the circle

    def test_the_core_has_no_loose_files(self) -> None:
        self.assertEqual([file.name for file in (HOUSE / "core").glob("*.py")], ["__init__.py"])
