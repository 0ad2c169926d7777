"""The command line that commands are added to, and how they speak."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager

import typer

from vapocline.core.base.problems import Refused, VapoclineError

app = typer.Typer(
    help="Vapocline: design espresso shots.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)


@contextmanager
def printing_errors() -> Iterator[None]:
    """Say in a sentence why a command cannot go on; end quietly on Ctrl-C."""
    try:
        yield
    except VapoclineError as error:
        print(f"vapocline: {error}", file=sys.stderr)
        raise typer.Exit(1) from None
    except KeyboardInterrupt:
        raise typer.Exit(0) from None


def refuse(refused: Refused) -> None:
    """Say on the error output what cannot be used, and end with 2."""
    print(refused, file=sys.stderr)
    raise typer.Exit(2)


def say(text: str) -> None:
    """Print a line at once."""
    print(text, flush=True)
