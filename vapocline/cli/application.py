"""Commands that run something on a database: start, demo, backup, restore, worker."""

from __future__ import annotations

import os
from contextlib import closing
from pathlib import Path
from typing import Annotated

import typer

from vapocline.cli.commands import app, printing_errors, say
from vapocline.cli.serving import ServingOptions, end_as_ctrl_c, serve
from vapocline.core.base.problems import VapoclineError

Port = Annotated[int | None, typer.Option(help="Port on loopback; by default the first free one.")]
PhonesOption = Annotated[bool, typer.Option(help="Phones in the same network can open a tasting.")]
PhonePort = Annotated[
    int | None, typer.Option(help="Port for phones; by default the first free one after --port.")
]
DataDir = Annotated[Path | None, typer.Option(help="Folder that holds the database.")]


@app.command()
def start(
    port: Port = None,
    data_dir: DataDir = None,
    fresh: Annotated[
        bool, typer.Option(help="Begin empty; what was there is set aside, not deleted.")
    ] = False,
    phones: PhonesOption = False,
    phone_port: PhonePort = None,
) -> None:
    """Serve the application on your own data."""
    serve(ServingOptions("own", port, data_dir, fresh, phones, phone_port))


@app.command()
def demo(
    port: Port = None,
    data_dir: DataDir = None,
    fresh: Annotated[bool, typer.Option(help="Throw the old sample data away first.")] = False,
    phones: PhonesOption = False,
    phone_port: PhonePort = None,
) -> None:
    """Serve the application with the made-up sample world of Lantern Quay."""
    serve(ServingOptions("demo", port, data_dir, fresh, phones, phone_port))


@app.command()
def backup(
    file: Annotated[Path, typer.Argument(help="The file to write.")], data_dir: DataDir = None
) -> None:
    """Write all your data into one file; Vapocline may be running."""
    from vapocline.runtime.backup import back_up
    from vapocline.runtime.data_folder import data_folder
    from vapocline.runtime.processes import database_of

    with printing_errors():
        folder = data_folder(data_dir, "own")
        if url := os.environ.get("VAPOCLINE_DATABASE_URL"):
            made = back_up(url, file, folder)
        else:
            with database_of(folder) as url:
                made = back_up(url, file, folder)
        say(f"{made.shots} shots and all else are in {file}")


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
    from vapocline.runtime.data_folder import data_folder
    from vapocline.runtime.processes import restore_into, start_afresh

    with printing_errors():
        if os.environ.get("VAPOCLINE_DATABASE_URL"):
            raise VapoclineError("restore makes a data folder, and fills no database by URL")
        folder = data_folder(data_dir, "own")
        read_backup(file)  # before anything is set aside
        if fresh and (aside := start_afresh(folder, keep_old=True)):
            say(f"What was there is now in {aside}")
        made = restore_into(folder, file)
        say(f"{made.shots} shots and all else of {made.made_at:%Y-%m-%d %H:%M} are in {folder}")


@app.command()
def worker(data_dir: DataDir = None) -> None:
    """Learn from shots beside the application that runs on a data folder, or, on any host, on the
    database that VAPOCLINE_DATABASE_URL names; Ctrl-C ends it."""
    import asyncio

    from vapocline.desk.context import open_resources
    from vapocline.runtime.cluster import running_url
    from vapocline.runtime.data_folder import data_folder
    from vapocline.runtime.startup import warm_up
    from vapocline.runtime.worker import work

    end_as_ctrl_c()
    with printing_errors():
        folder = data_folder(data_dir, "own")
        # Not on the command line: that is anybody's to read, and the password is in it.
        url = os.environ.get("VAPOCLINE_DATABASE_URL") or running_url(folder)
        if url is None:
            raise VapoclineError(
                f"No Vapocline runs on {folder}: start it, or set VAPOCLINE_DATABASE_URL"
            )
        with closing(open_resources(url)) as resources:
            resources.ask_database()
            warm_up()
            say("Learning from shots as they come  (Ctrl-C stops it)")
            asyncio.run(work(url, resources))
