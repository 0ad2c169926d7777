"""Which test files the uncommitted changes reach: by what imports what, and by the rooms' names."""

from __future__ import annotations

import ast
import subprocess
from collections import defaultdict
from collections.abc import Iterable
from functools import cache
from pathlib import Path

REPO = Path(__file__).parent.parent
PARTS = (
    "bench", "shelf", "plan", "pull", "read", "taste", "next", "trail", "learn", "tidy", "exchange",
)  # fmt: skip
# What nearly every test stands on. Its own imports tell nothing: it starts the whole application.
HARNESS = ("tests.parts", "tests.web.pages", "tests.marks", "tests.api.test_house")
BEYOND_IMPORTS = ("requirements", "pyproject.toml", "tests/__main__.py")


def changed_files() -> list[str]:
    """Files that differ from the last commit, and new ones, by their paths in the repository."""
    commands = (
        ["git", "diff", "--name-only", "HEAD"],
        ["git", "ls-files", "--others", "--exclude-standard"],
    )
    found = [
        subprocess.run(command, cwd=REPO, capture_output=True, text=True, check=True).stdout
        for command in commands
    ]
    return sorted(set("".join(found).split()))


def reached_by(changed: Iterable[str]) -> set[str]:
    """The test files, by their paths below tests/, that a change of files reaches."""
    every = {str(path.relative_to(REPO)) for path in (REPO / "tests").rglob("test_*.py")}
    reached = set[str]()
    for file in changed:
        if file.startswith(BEYOND_IMPORTS):
            reached |= every
        elif file.startswith("web/"):
            reached |= _pages_of(Path(file), every)
        elif file.endswith(".py"):
            reached |= {one for one in _importers(_module(file)) if one in every}
            reached |= _pages_of(Path(file), every) if file.startswith("vapocline/") else set()
            reached |= {file} & every
    return {one.removeprefix("tests/") for one in reached}


def _pages_of(file: Path, every: set[str]) -> set[str]:
    """Tests in the browser of the part that a file belongs to; of all pages where it is shared."""
    parts = [part for part in (*file.parts, file.stem) if part in PARTS]
    if file.parts[0] == "web" and "views" not in file.parts:
        return {one for one in every if one.startswith("tests/web/")}
    return {one for one in every if any(one.startswith(f"tests/web/{part}/") for part in parts)}


def _module(file: str) -> str:
    return file.removesuffix(".py").removesuffix("/__init__").replace("/", ".")


def _importers(module: str) -> set[str]:
    """Files that import a module, however indirectly."""
    directly, left, found = _imported_by(), [module], set[str]()
    while left:
        for importer in directly[left.pop()] - found:
            found.add(importer)
            if _module(importer) not in HARNESS:
                left.append(_module(importer))
    return found


@cache
def _imported_by() -> dict[str, set[str]]:
    """For each module, the files that import it."""
    importers = defaultdict[str, set[str]](set)
    for top in ("vapocline", "tests", "benchmarks"):
        for path in (REPO / top).rglob("*.py"):
            file = str(path.relative_to(REPO))
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                for name in _names_in(node):
                    importers[name].add(file)
    return importers


def _names_in(node: ast.AST) -> list[str]:
    if isinstance(node, ast.Import):
        return [alias.name for alias in node.names]
    if isinstance(node, ast.ImportFrom) and node.module:
        return [node.module, *(f"{node.module}.{alias.name}" for alias in node.names)]
    return []
