"""The command line: start, demo, backup, restore, predict, seek, read."""

from __future__ import annotations

import json
import os
import signal
import socket
import sys
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from vapocline.core.base.problems import Problem, Refused, VapoclineError, refused_by_pydantic

if TYPE_CHECKING:
    import uvicorn
    from fastapi import FastAPI

    from vapocline.desk.context import Resources
    from vapocline.runtime.server import Server

app = typer.Typer(
    help="Vapocline: design espresso shots.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)

FIRST_PORT = 8417
PORTS_TRIED = 20

Port = Annotated[int | None, typer.Option(help="Port on loopback; by default the first free one.")]
DataDir = Annotated[Path | None, typer.Option(help="Folder that holds the database.")]


@app.command()
def start(
    port: Port = None,
    data_dir: DataDir = None,
    fresh: Annotated[
        bool, typer.Option(help="Begin empty; what was there is set aside, not deleted.")
    ] = False,
) -> None:
    """Serve the application on your own data."""
    _serve("own", port, data_dir, fresh=fresh)


@app.command()
def demo(
    port: Port = None,
    data_dir: DataDir = None,
    fresh: Annotated[bool, typer.Option(help="Throw the old sample data away first.")] = False,
) -> None:
    """Serve the application with the made-up sample world of Lantern Quay."""
    _serve("demo", port, data_dir, fresh=fresh)


@app.command()
def backup(
    file: Annotated[Path, typer.Argument(help="The file to write.")], data_dir: DataDir = None
) -> None:
    """Write all your data into one file; Vapocline may be running."""
    from vapocline.runtime.backup import back_up
    from vapocline.runtime.processes import database_of, default_folder

    with _told():
        folder = (data_dir or default_folder("own")).resolve()
        if url := os.environ.get("VAPOCLINE_DATABASE_URL"):
            made = back_up(url, file, folder)
        else:
            with database_of(folder) as url:
                made = back_up(url, file, folder)
        _say(f"{made.shots} shots and all else are in {file}")


@app.command()
def restore(
    file: Annotated[Path, typer.Argument(help="A file that backup wrote.")],
    data_dir: DataDir = None,
    fresh: Annotated[
        bool, typer.Option(help="What was in the folder is set aside, not deleted.")
    ] = False,
) -> None:
    """Make a data folder from a backup. An own database by URL is restored by pg_restore."""
    from vapocline.runtime.backup import read_backup
    from vapocline.runtime.processes import default_folder, restore_into, start_afresh

    with _told():
        if os.environ.get("VAPOCLINE_DATABASE_URL"):
            raise VapoclineError("restore makes a data folder, and fills no database by URL")
        folder = (data_dir or default_folder("own")).resolve()
        read_backup(file)  # before anything is set aside
        if fresh and (aside := start_afresh(folder, keep_old=True)):
            _say(f"What was there is now in {aside}")
        made = restore_into(folder, file)
        _say(f"{made.shots} shots and all else of {made.made_at:%Y-%m-%d %H:%M} are in {folder}")


@app.command()
def predict(
    file: Annotated[
        str, typer.Argument(help="A vapocline/plan document, or - for standard input.")
    ],
    sensitivity: Annotated[
        bool, typer.Option(help="Print what one step of each number does instead.")
    ] = False,
) -> None:
    """Print what a plan's shot should do, as JSON."""
    from vapocline.core.puck.plan import Plan

    def answer(document: object) -> str:
        plan = Plan.model_validate(document)
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
        _refuse(refused_by_pydantic(error, under="plan"))
    except Refused as error:
        _refuse(error)


def _reading(file: str, plan: Path | None) -> str:
    """The reading of a CSV as JSON. Raises Refused, ValidationError."""
    from vapocline.core.formats.trace_csv import traces_from_csv
    from vapocline.core.puck.check import refuse_unrunnable
    from vapocline.core.puck.plan import Plan
    from vapocline.core.read.reading import read_curve

    traces = traces_from_csv(_read_text(file), needed=("time_s",))
    by = None if plan is None else Plan.model_validate(_read_json(str(plan)))
    if by is not None:
        refuse_unrunnable(by)
    return json.dumps(read_curve(traces, by).document(), indent=2, ensure_ascii=False)


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
        print(answer(_read_json(file)))
    except ValidationError as error:
        _refuse(refused_by_pydantic(error))
    except Refused as error:
        _refuse(error)


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


def _read_json(file: str) -> object:
    """The document's content. Raises Refused when it cannot be read or is no JSON."""
    text = _read_text(file)
    try:
        return json.loads(text)
    except json.JSONDecodeError as error:
        got = f"JSON that breaks off at line {error.lineno}, column {error.colno}"
        raise Refused([Problem("document", got, "valid JSON")]) from error


def _read_text(file: str) -> str:
    """What is in a file or comes in. Raises Refused."""
    try:
        return sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise Refused([Problem("FILE", file, f"a readable text file ({error})")]) from error


def _refuse(refused: Refused) -> None:
    print(refused, file=sys.stderr)
    raise typer.Exit(2)


def _serve(kind: str, port: int | None, data_dir: Path | None, *, fresh: bool) -> None:
    # Asked to end, or its terminal closed: as Ctrl-C, so that the cluster is stopped too.
    for one in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(one, signal.default_int_handler)
    with _told():
        _run(kind, port, data_dir, fresh=fresh)


@contextmanager
def _told() -> Iterator[None]:
    """Say in a sentence why a command cannot go on; end quietly on Ctrl-C."""
    try:
        yield
    except VapoclineError as error:
        print(f"vapocline: {error}", file=sys.stderr)
        raise typer.Exit(1) from None
    except KeyboardInterrupt:
        raise typer.Exit(0) from None


def _run(kind: str, port: int | None, data_dir: Path | None, *, fresh: bool) -> None:
    """Everything from the database to the pages, until Ctrl-C."""
    listener = listen(port)  # before anything is touched: it may be taken
    with closing(listener):
        _serve_on(listener, kind, data_dir, fresh=fresh)
    _say("Stopped.")


def _serve_on(listener: socket.socket, kind: str, data_dir: Path | None, *, fresh: bool) -> None:
    import uvicorn

    from vapocline.runtime.processes import default_folder, running, start_afresh
    from vapocline.runtime.settings import Settings
    from vapocline.runtime.startup import application

    url = os.environ.get("VAPOCLINE_DATABASE_URL")
    folder = (data_dir or default_folder(kind)).resolve()  # one folder has one lock, by any path
    if fresh and url:
        raise VapoclineError("--fresh deletes only Vapocline's own folder, not a database by URL")
    if fresh and (aside := start_afresh(folder, keep_old=kind == "own")):
        _say(f"What was there is now in {aside}")
    with running(folder, url, _say) as parts:
        if kind == "demo":
            _fill(parts.database_url)
        settings = Settings(
            database_url=parts.database_url,
            simulated_machine=parts.simulators.machine,
            simulated_scale=parts.simulators.scale,
            simulated_refractometer=parts.simulators.refractometer,
            unsaved_folder=folder / "unsaved",
        )
        app = application(settings)
        config = uvicorn.Config(
            app,
            log_level="warning",
            log_config=None,  # where everything else is logged
            timeout_graceful_shutdown=3,
            ws="websockets-sansio",
        )
        _say(f"Vapocline is at http://127.0.0.1:{listener.getsockname()[1]}  (Ctrl-C stops it)")
        with suppress(KeyboardInterrupt):  # it stops on Ctrl-C, then raises it again
            _server(config, app).run(sockets=[listener])


def _server(config: uvicorn.Config, app: FastAPI) -> Server:
    """A server that knows of the shots its application records."""
    from vapocline.desk.pull.ending import running_shots, stop_all
    from vapocline.runtime.server import Server

    def resources() -> Resources | None:
        opened = getattr(app.state, "opened", None)
        return None if opened is None else opened.context.resources

    def running() -> list[int]:
        found = resources()
        return [] if found is None else running_shots(found)

    def stop() -> None:
        if (found := resources()) is not None:
            stop_all(found)

    return Server(config, running=running, stop=stop, say=_say)


def _fill(url: str) -> None:
    from vapocline.demo.world import build
    from vapocline.desk.context import Simulators, open_resources
    from vapocline.runtime.simulators import simulated_machine

    with simulated_machine(seed=7, speed=0) as quick:
        resources = open_resources(url, Simulators(quick))
        try:
            build(resources, _say)
        finally:
            resources.close()


def listen(port: int | None) -> socket.socket:
    """A listening socket on loopback: the asked port, or the first free one."""
    tried = [port] if port is not None else range(FIRST_PORT, FIRST_PORT + PORTS_TRIED)
    for number in tried:
        listener = socket.socket()
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind(("127.0.0.1", number))
        except (OSError, OverflowError):
            listener.close()
            continue
        listener.listen(128)
        return listener
    raise VapoclineError(f"Port {tried[0]} is taken or not allowed: name another with --port")


def _say(text: str) -> None:
    print(text, flush=True)


if __name__ == "__main__":
    app()
