"""Write the notices of what ships with Vapocline: python docs/notices.py FILE."""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterator
from importlib.metadata import PackageMetadata, metadata
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
WEB = ROOT / "web"


class Shipped(NamedTuple):
    """A package of others, and under what licence."""

    name: str
    version: str
    licence: str


def python_packages() -> Iterator[Shipped]:
    """What requirements.lock installs."""
    for line in (ROOT / "requirements.lock").read_text(encoding="utf-8").splitlines():
        if found := re.match(r"([a-z0-9][\w.-]*)==(\S+)", line):
            if "; " in line and "sys_platform == 'win32'" in line:
                continue
            yield Shipped(found[1], found[2], _licence(metadata(found[1])))


def _licence(said: PackageMetadata) -> str:
    """As the package says it: an expression, else a classifier, else its first line."""
    if expression := said.get("License-Expression"):
        return expression
    classifiers = [one for one in said.get_all("Classifier", []) if one.startswith("License ::")]
    if classifiers:
        return ", ".join(one.rpartition(" :: ")[2] for one in classifiers)
    return (said.get("License") or "not said").splitlines()[0]


def web_packages() -> Iterator[Shipped]:
    """What the pages are built from, without what only builds or tests them."""
    lock = json.loads((WEB / "package-lock.json").read_text(encoding="utf-8"))
    for place, package in sorted(lock["packages"].items()):
        if not place or package.get("dev") or package.get("optional"):
            continue
        licence = package.get("license", "not said")
        yield Shipped(place.rpartition("node_modules/")[2], package["version"], licence)


def table(packages: Iterator[Shipped]) -> str:
    """As a table in Markdown."""
    rows = [f"| {one.name} | {one.version} | {one.licence} |" for one in packages]
    return "\n".join(["| package | version | licence |", "|---|---|---|", *rows])


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(
        "# Works of others\n\nWhat ships with Vapocline, from the lock files; "
        "`./vapo types` writes this page. Each package carries its licence's text itself.\n\n"
        f"## Server\n\n{table(python_packages())}\n\n## Pages\n\n{table(web_packages())}\n",
        encoding="utf-8",
    )
