"""The right to record a shot: one recorder at a time, whatever connections are lost."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import Connection, Engine
from sqlalchemy.orm import Session

from vapocline.core.base.problems import UnavailableError, VapoclineError
from vapocline.store import shots
from vapocline.store.database import hold_connection, session_on


class TakenUpElsewhereError(VapoclineError):
    """Another recorder took the shot up, or ended it, while our connection was lost."""


class RecordingLock:
    """PostgreSQL's lock on a shot. It lives and dies with a connection, and all that is kept of the
    shot goes over that very connection: nothing is ever written by who does not hold it."""

    def __init__(self, engine: Engine) -> None:
        """Connect. Raises UnavailableError."""
        self._engine = engine
        self._connection: Connection | None = hold_connection(engine)
        self._shot_id = 0
        self._backend = ""  # of our last connection, while the server may not know that it is gone

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session on the connection, before or while the lock is held; what is done in it is to
        be committed. Raises as `transaction` of the store does."""
        assert self._connection is not None
        with session_on(self._connection) as session:
            yield session

    def take(self, session: Session, shot_id: int) -> bool:
        """Take the lock in the connection's session; False where another recorder holds it."""
        if not shots.hold_recording(session, shot_id):
            return False
        self._shot_id, self._backend = shot_id, shots.own_backend(session)
        return True

    @contextmanager
    def transaction(self) -> Iterator[Session]:
        """A transaction of whoever holds the lock; a connection that was lost is made again before.

        Raises UnavailableError while the database is away, TakenUpElsewhereError.
        """
        if self._connection is None:
            self._take_again()
        try:
            with self.session() as session:
                yield session
                session.commit()
        except UnavailableError:
            # Not for a wait that took too long: the lock is given up with its connection only.
            if self._connection is None or self._connection.invalidated:
                self.release()
            raise

    def release(self) -> None:
        """Give the lock up with its connection."""
        connection, self._connection = self._connection, None
        if connection is not None:
            connection.invalidate()
            connection.close()

    def _take_again(self) -> None:
        """Take the lock over a new connection. Our old one may hold it still: the server takes a
        moment to notice that it is gone, or never does where the network was cut."""
        before = self._backend
        self._connection = hold_connection(self._engine)
        try:
            with self.session() as session:
                held = self.take(session, self._shot_id)
                holder = None if held else shots.backend_recording(session, self._shot_id)
                running = shots.read_standing(session, self._shot_id).state == "running"
                if holder is not None and holder == before:
                    shots.end_backend(session, holder)
                session.commit()
        except BaseException:
            self.release()
            raise
        if held and running:
            return
        self.release()
        if running and holder in (None, before):  # free in a moment
            raise UnavailableError(f"Shot {self._shot_id} is still held by a lost connection.")
        raise TakenUpElsewhereError(f"Shot {self._shot_id} is recorded by another process.")
