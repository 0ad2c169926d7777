"""Hidden commands that write what is generated, and compile the kernel."""

from __future__ import annotations

import json
from pathlib import Path

from vapocline.cli.commands import app


@app.command(hidden=True)
def openapi(file: Path) -> None:
    """Write the API's description, from which the pages' types are made."""
    from vapocline.api.application import create_app

    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_text(json.dumps(create_app(None, Path()).openapi(), indent=2) + "\n")


@app.command(hidden=True)
def formats(folder: Path) -> None:
    """Write the open formats' JSON Schemas."""
    from vapocline.core.formats.schemas import schemas

    folder.mkdir(parents=True, exist_ok=True)
    for name, schema in schemas().items():
        text = json.dumps(schema, indent=2, ensure_ascii=False)
        (folder / f"{name}.schema.json").write_text(text + "\n", encoding="utf-8")


@app.command(hidden=True)
def words(glossary: Path, file: Path) -> None:
    """Write the pages' glossary as a page of the documentation."""
    lines = [
        "# Words",
        "",
        "What each term means here, in the pages, the documents and the code.",
        "",
    ]
    for term in json.loads(glossary.read_text(encoding="utf-8")):
        name = f"{term['term']}, {term['unit']}" if term["unit"] else term["term"]
        lines += [f"**{name}**: {term['meaning']} {term['also']}".rstrip(), ""]
    file.write_text("\n".join(lines), encoding="utf-8")


@app.command(hidden=True)
def warm() -> None:
    """Compile the kernel into its cache."""
    from vapocline.runtime.startup import warm_up

    warm_up()
