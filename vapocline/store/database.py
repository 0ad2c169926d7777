"""Engine, sessions, migrations, and foreign errors in our words."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, create_engine, func, select, text
from sqlalchemy.exc import DBAPIError, IntegrityError, InterfaceError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from vapocline.core.base.problems import (
    ConflictError,
    NotFoundError,
    UnavailableError,
    VapoclineError,
)

Sessions = sessionmaker[Session]
MIGRATIONS = Path(__file__).parent / "migrations"

CONNECTION_WAIT_S = 10
LOCK_WAIT_S = 5
AWAY = "The database does not respond. Nothing was lost here; try again in a moment."
FULL = (
    "The disk that holds the database is full. Nothing was lost here: free some space, then try "
    "again."
)
DISK_FULL = "53100"

# Classes of PostgreSQL's error codes, and codes: connection, rollback by another, resources, its
# operator, its disk, a lock not available.
PASSING = ("08", "40", "53", "57", "58", "55P03")
NUMERIC_OUT_OF_RANGE = "22003"  # no row of ours has a number that does not fit its column

# What a violated constraint means to the user; the rest are faults of ours and pass through.
MEANINGS = {
    "uq_coffees_name": "A coffee with that name already exists.",
    "uq_grinders_name": "A grinder with that name already exists.",
    "uq_machines_name": "A machine with that name already exists.",
    "uq_baskets_name": "A basket with that name already exists.",
    "uq_waters_name": "A water with that name already exists.",
    "uq_preparations_name": "A preparation with that name already exists.",
    "uq_slots_machine_id_name": "Another slot of that machine already has that name.",
    "uq_slots_machine_id_number": "Something was stored in that slot in the meantime.",
    "fk_shots_coffee_id": "It cannot be removed: shots were pulled with it.",
    "fk_shots_grinder_id": "It cannot be removed: shots were ground on it.",
    "fk_shots_machine_id": "It cannot be removed: shots were pulled on it.",
    "fk_shots_bag_id": "It cannot be removed: shots were pulled from one of its bags.",
    "fk_benches_coffee_id": "It is on the bench: put another there first.",
    "fk_benches_grinder_id": "It is on the bench: put another there first.",
    "fk_benches_machine_id": "It is on the bench: put another there first.",
    "fk_benches_basket_id": "It is on the bench: put another there first.",
    "fk_benches_water_id": "It is on the bench: put another there first.",
    "fk_benches_preparation_id": "It is on the bench: put another there first.",
    "fk_shots_preparation_id": "It cannot be removed: shots were pulled with it.",
    "uq_check_lines_ours": "Someone changed the checks in the meantime.",
    "uq_check_lines_words": "Someone changed the checks in the meantime.",
    "uq_profiles_name": "A profile with that name already exists.",
    "uq_profile_versions_profile_id_number": "Someone saved a newer version in the meantime.",
}


def connect(url: str) -> Engine:
    """An engine for a PostgreSQL URL; connections are tried before use: a restart is survived."""
    return create_engine(
        driver_url(url),
        pool_pre_ping=True,
        hide_parameters=True,  # an error goes into the log, somebody's notes do not
        pool_size=10,
        max_overflow=40,
        pool_timeout=CONNECTION_WAIT_S,
        connect_args={
            "connect_timeout": CONNECTION_WAIT_S,
            "tcp_user_timeout": 1000 * CONNECTION_WAIT_S,
            "options": f"-c lock_timeout={LOCK_WAIT_S}s",
        },
    )


def driver_url(url: str) -> str:
    """The URL with the driver we ship, whichever way it was written."""
    for scheme in ("postgresql://", "postgres://"):
        if url.startswith(scheme):
            return "postgresql+psycopg://" + url.removeprefix(scheme)
    return url


def plain_url(url: str) -> str:
    """The URL without a driver, as psycopg itself takes it."""
    return driver_url(url).replace("postgresql+psycopg://", "postgresql://", 1)


def sessions_for(engine: Engine) -> Sessions:
    """A session factory; `with sessions.begin() as session` is one transaction."""
    return sessionmaker(engine, expire_on_commit=False)


def migrate(url: str) -> None:
    """Bring the database to the newest schema, all of it or nothing.

    Raises VapoclineError for one that a newer Vapocline made, and for what goes wrong.
    """
    revision, known = revision_of(url), revisions()
    if revision is not None and revision not in known:
        raise VapoclineError(
            f"A newer Vapocline made this database (its schema is {revision}, ours {known[-1]}): "
            "update Vapocline, or name another --data-dir"
        )
    try:
        command.upgrade(alembic_config(url), "head")
    except DBAPIError as error:
        if _passes(error):
            raise UnavailableError(AWAY) from error
        reason = str(error.orig).partition("\n")[0]
        raise VapoclineError(
            f"Bringing the tables from {revision} to {known[-1]} failed, and nothing was changed: "
            f"{reason}"
        ) from error


def revisions() -> list[str]:
    """Every schema this version knows, the oldest first."""
    script = ScriptDirectory.from_config(alembic_config(""))
    return [one.revision for one in script.walk_revisions()][::-1]


def revision_of(url: str) -> str | None:
    """The schema of a database, None for an empty one. Raises UnavailableError."""
    engine = connect(url)
    try:
        with _errors_told(), engine.connect() as connection:
            return MigrationContext.configure(connection).get_current_revision()
    finally:
        engine.dispose()


def counted(url: str, table: str) -> int:
    """How many rows a table of ours has. Raises UnavailableError."""
    engine = connect(url)
    try:
        with _errors_told(), engine.connect() as connection:
            found = connection.scalar(select(func.count()).select_from(text(table)))
            return int(found or 0)
    finally:
        engine.dispose()


def alembic_config(url: str) -> Config:
    """Alembic's settings, without a file of them."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["url"] = driver_url(url)
    return config


def ask(sessions: Sessions) -> None:
    """Return once the database answered. Raises UnavailableError."""
    with reading(sessions) as session:
        session.execute(text("select 1"))


@contextmanager
def reading(sessions: Sessions) -> Iterator[Session]:
    """A session for one query: each statement stands alone, so that none waits for begin or end."""
    with _errors_told(), sessions() as session:
        session.connection(execution_options={"isolation_level": "AUTOCOMMIT"})
        yield session


@contextmanager
def transaction(sessions: Sessions) -> Iterator[Session]:
    """One transaction. Raises ConflictError where it breaks a rule of the database, NotFoundError
    for a number that none can have, and UnavailableError while the database does not answer."""
    with _errors_told(), sessions.begin() as session:
        yield session


def hold_connection(engine: Engine) -> Connection:
    """A connection to keep, for what lives and dies with it. Raises UnavailableError."""
    with _errors_told():
        return engine.connect()


@contextmanager
def session_on(connection: Connection) -> Iterator[Session]:
    """A session on a kept connection. Raises as `transaction` does."""
    with _errors_told(), Session(connection, expire_on_commit=False) as session:
        yield session


@contextmanager
def _errors_told() -> Iterator[None]:
    """The database's own errors as ours, as far as a user can do something about them."""
    try:
        yield
    except IntegrityError as error:
        name = getattr(getattr(error.orig, "diag", None), "constraint_name", None)
        if name in MEANINGS:
            raise ConflictError(MEANINGS[name]) from error
        raise
    except DBAPIError as error:
        if getattr(error.orig, "sqlstate", None) == DISK_FULL:
            raise UnavailableError(FULL) from error
        if _passes(error):
            raise UnavailableError(AWAY) from error
        if getattr(error.orig, "sqlstate", None) == NUMERIC_OUT_OF_RANGE:
            raise NotFoundError("There is nothing with a number so large.") from error
        raise


def _passes(error: DBAPIError) -> bool:
    """Whether the same may go well later: no connection, no resources, another was first."""
    state = getattr(error.orig, "sqlstate", None)
    if state is None:  # it never came to a statement
        return error.connection_invalidated or isinstance(error, OperationalError | InterfaceError)
    return str(state).startswith(PASSING)
