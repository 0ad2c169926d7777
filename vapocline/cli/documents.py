"""Commands on documents: predict, read, learn, seek."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from vapocline.cli.commands import app, refuse
from vapocline.cli.files import read_json, read_text, valid, write_text
from vapocline.core.base.problems import Problem, Refused, refused_by_pydantic

if TYPE_CHECKING:
    from vapocline.core.formats.shot import ShotDocument


@app.command()
def predict(
    file: Annotated[
        str, typer.Argument(help="A vapocline/plan document, or - for standard input.")
    ],
    sensitivity: Annotated[
        bool, typer.Option(help="Print what one step of each number does instead.")
    ] = False,
    knowledge: Annotated[
        Path | None,
        typer.Option(help="A vapocline/knowledge document, as ./vapo learn writes it."),
    ] = None,
) -> None:
    """Print what a plan's shot should do, as JSON."""
    from vapocline.core.puck.knowledge import Knowledge
    from vapocline.core.puck.plan import Plan, knowing

    def answer(document: object) -> str:
        plan = Plan.model_validate(document)
        if knowledge is not None:
            known = read_json(str(knowledge))
            plan = knowing(plan, valid(Knowledge, known, under="knowledge"))
        if sensitivity:  # each needs parts that take a while to load
            from vapocline.core.plan.sensitivity import sensitivities

            steps = [one.model_dump(mode="json") for one in sensitivities(plan)]
            return json.dumps(steps, indent=2, ensure_ascii=False)
        from vapocline.core.puck.predict import predict as predicted

        return predicted(plan).model_dump_json(by_alias=True, indent=2)

    _print_or_refuse(answer, file)


@app.command()
def read(
    file: Annotated[str, typer.Argument(help="Traces as CSV, or - for standard input.")],
    plan: Annotated[
        Path | None, typer.Option(help="The vapocline/plan document it was pulled by.")
    ] = None,
) -> None:
    """Print what a recorded shot's curve says, as JSON: verdict, findings, what it cannot tell."""
    from pydantic import ValidationError

    try:
        print(_reading(file, plan))
    except ValidationError as error:
        refuse(refused_by_pydantic(error, under="plan"))
    except Refused as error:
        refuse(error)


def _reading(file: str, plan: Path | None) -> str:
    """The reading of a CSV as JSON. Raises Refused, ValidationError."""
    from vapocline.core.formats.trace_csv import traces_from_csv
    from vapocline.core.puck.check import refuse_unrunnable
    from vapocline.core.puck.plan import Plan
    from vapocline.core.read.reading import read_curve

    traces = traces_from_csv(read_text(file), needed=("time_s",))
    by = None if plan is None else Plan.model_validate(read_json(str(plan)))
    if by is not None:
        refuse_unrunnable(by)
    return json.dumps(read_curve(traces, by).document(), indent=2, ensure_ascii=False)


@app.command()
def learn(
    folder: Annotated[
        Path, typer.Argument(help="A folder of vapocline/shot documents of one coffee, grinder and "
                             "machine; in order of time, or else of their names.")
    ],
    knowledge: Annotated[
        Path | None, typer.Option(help="Where to write the vapocline/knowledge document.")
    ] = None,
) -> None:  # fmt: skip
    """Print what logged shots teach, as JSON, and how well that predicts shots left out."""
    try:
        shots = _shots_in(folder)
    except Refused as error:
        refuse(error)
    from vapocline.core.formats.registry import KNOWLEDGE
    from vapocline.core.learn.learning import learn as learnt

    found = learnt([shot.logged() for shot in shots])
    print(found.model_dump_json(exclude={"knowledge"}, indent=2))
    if knowledge is None:
        return
    if not found.used:
        print(f"No knowledge is written: {found.because}", file=sys.stderr)
        raise typer.Exit(1)
    text = json.dumps(KNOWLEDGE.write(found.knowledge), indent=2, ensure_ascii=False)
    try:
        write_text(knowledge, text + "\n")
    except Refused as error:
        refuse(error)


def _shots_in(folder: Path) -> list[ShotDocument]:
    """Shots of a folder in order of time. Raises Refused, naming the file."""
    from vapocline.core.formats.shot import ShotDocument

    files = sorted(folder.glob("*.json")) if folder.is_dir() else []
    if not files:
        raise Refused([Problem("FOLDER", str(folder), "a folder of vapocline/shot documents")])
    shots = [valid(ShotDocument, read_json(str(file)), under=file.name) for file in files]
    times = [shot.started_at.timestamp() for shot in shots if shot.started_at]
    if len(times) < len(shots):
        return shots
    return [shots[at] for at in sorted(range(len(shots)), key=times.__getitem__)]


@app.command()
def seek(
    file: Annotated[
        str, typer.Argument(help="A vapocline/goal document, or - for standard input.")
    ],
) -> None:
    """Find the value of one or two numbers that meets a goal, or the nearest; prints JSON."""
    from vapocline.core.plan.goal import Goal
    from vapocline.core.plan.goal import seek as sought

    def answer(document: object) -> str:
        found = sought(Goal.model_validate(document))
        return json.dumps(found.model_dump(mode="json", by_alias=True), indent=2)

    _print_or_refuse(answer, file)


def _print_or_refuse(answer: Callable[[object], str], file: str) -> None:
    """Print the answer to a document, or say on the error output why there is none: exit 2."""
    from pydantic import ValidationError

    try:
        print(answer(read_json(file)))
    except ValidationError as error:
        refuse(refused_by_pydantic(error))
    except Refused as error:
        refuse(error)
