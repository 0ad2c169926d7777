"""What is known against the packages we use, as a page: python docs/audit.py REPORTS OUT

`REPORTS` is where `./vapo reports` put what the auditors said. Where one got no answer, that is
said, never taken for an empty list, and the registries' own marks are looked at instead: versions
that their authors yanked (Python) or deprecated (the pages).
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

REPO = Path(__file__).parent.parent
WAIT_S = 120
AT_ONCE = 8
YANKED = re.compile(r"warning: `(\S+)` is yanked(?: \(reason: \"(.*)\"\))?")


def main() -> None:
    """Write the page."""
    reports, out = Path(sys.argv[1]), Path(sys.argv[2])
    rows = [
        ("Python packages: known faults", python_faults(reports / "pip-audit.json")),
        ("Python packages: yanked by their authors", yanked()),
        ("The pages' packages: known faults", page_faults(reports / "npm-audit.json")),
        ("The pages' packages: deprecated by their authors", deprecated()),
    ]
    lines = ["# What is known against the packages we use", "", "| asked | verdict |", "|---|---|"]
    out.write_text("\n".join([*lines, *(f"| {what} | {said} |" for what, said in rows)]) + "\n")
    for what, said in rows:
        print(f"{what}: {said}", file=sys.stderr)


def read(file: Path) -> dict[str, Any]:
    """What an auditor wrote; empty where it wrote nothing that can be read."""
    try:
        found = json.loads(file.read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def python_faults(file: Path) -> str:
    """pip-audit's verdict. A package it skipped was not audited, whatever the list says."""
    packages = read(file).get("dependencies", [])
    audited = [one for one in packages if "skip_reason" not in one]
    if not audited:
        return "**no verdict**: no service answered"
    faults = [f"{one['name']} {v['id']}" for one in audited for v in one.get("vulns", [])]
    left = len(packages) - len(audited)
    rest = f"; {left} could not be audited" if left else ""
    return f"{', '.join(faults) or 'none'} in {len(audited)} packages{rest}"


def page_faults(file: Path) -> str:
    """npm's verdict."""
    found = read(file)
    if "auditReportVersion" not in found:
        return "**no verdict**: no service answered"
    faults = found.get("vulnerabilities", {})
    named = [f"{name} ({one['severity']})" for name, one in faults.items()]
    return ", ".join(named) or "none"


def yanked() -> str:
    """Versions of the lock file that were yanked."""
    lock = REPO / "requirements.lock"
    pinned = re.findall(r"^([\w.-]+==[\w.]+)", lock.read_text(), re.MULTILINE)
    uv = str(Path(sys.executable).with_name("uv"))
    with TemporaryDirectory() as nothing_in:
        said = subprocess.run(
            [uv, "pip", "install", "--dry-run", "--no-deps", "--target", nothing_in, "-r", "-"],
            input="\n".join(pinned), capture_output=True, text=True, timeout=WAIT_S, check=False,
        )  # fmt: skip
    if said.returncode != 0:
        return "**no verdict**: the registry did not answer"
    found = [f"{name} ({why or 'no reason given'})" for name, why in YANKED.findall(said.stderr)]
    return f"{', '.join(found) or 'none'} of {len(pinned)}"


def deprecated() -> str:
    """Packages that the pages ship and whose authors say not to use them any more."""
    lock = json.loads((REPO / "web" / "package-lock.json").read_text())["packages"]
    shipped = sorted(
        f"{path.rpartition('node_modules/')[2]}@{one['version']}"
        for path, one in lock.items()
        if path and not one.get("dev")
    )
    with ThreadPoolExecutor(AT_ONCE) as threads:
        marks = dict(zip(shipped, threads.map(_mark_of, shipped), strict=True))
    answered = [name for name, mark in marks.items() if mark is not None]
    if not answered:
        return "**no verdict**: the registry did not answer"
    found = [f"{name} ({marks[name]})" for name in answered if marks[name]]
    left = len(shipped) - len(answered)
    rest = f"; {left} were not answered" if left else ""
    return f"{', '.join(found) or 'none'} of {len(answered)}{rest}"


def _mark_of(package: str) -> str | None:
    """Why a version is deprecated, empty where it is not; None without an answer."""
    try:
        said = subprocess.run(
            ["npm", "view", package, "version", "deprecated", "--json"],
            cwd=REPO / "web", capture_output=True, text=True, timeout=WAIT_S, check=True,
        )  # fmt: skip
        found = json.loads(said.stdout)
    except (OSError, subprocess.SubprocessError, ValueError):
        return None
    return str(found.get("deprecated", "")) if isinstance(found, dict) else ""


if __name__ == "__main__":
    main()
