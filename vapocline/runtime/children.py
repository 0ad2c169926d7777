"""Processes of ours that end when we do."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
from collections.abc import Mapping, Sequence

from vapocline.core.base.problems import VapoclineError

END_WAIT_S = 60


class ChildProcess:
    """A module of ours run by itself: it says one line once it is ready, and ends when its standard
    input does, so also when we are killed."""

    def __init__(
        self,
        name: str,
        words: Sequence[str],
        env: Mapping[str, str],
        files: Sequence[int] = (),
    ) -> None:
        """`words` follow "python -m". What is secret goes in `env`: a command line is anybody's to
        read. `files` are descriptors that it inherits."""
        self.name = name
        self.said = ""
        self._words, self._env, self._files = words, env, files
        self._process = self._started()

    def wait_ready(self) -> None:
        """Wait for its line. Raises VapoclineError when it never comes."""
        self.said = self._process.stdout.readline().strip() if self._process.stdout else ""
        if not self.said:
            raise VapoclineError(f"{self.name[0].upper()}{self.name[1:]} did not start.")

    def pid(self) -> int | None:
        """Its process, None when it has ended."""
        return self._process.pid if self._process.poll() is None else None

    def start_again(self) -> None:
        """Restart it where it was. Raises VapoclineError."""
        self.end()
        self._process = self._started(*self.words_again())
        self.wait_ready()

    def words_again(self) -> Sequence[str]:
        """What a restart adds to the words."""
        return ()

    def ask_to_end(self) -> None:
        """Close its standard input: then it ends."""
        if self._process.stdin:
            with contextlib.suppress(BrokenPipeError):
                self._process.stdin.close()

    def end(self) -> None:
        """Ask it to end and wait until it has."""
        self.ask_to_end()
        try:
            self._process.wait(timeout=END_WAIT_S)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        if self._process.stdout:
            self._process.stdout.close()

    def _started(self, *more: str) -> subprocess.Popen[str]:
        return subprocess.Popen(
            [sys.executable, "-m", *self._words, *more],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, **self._env},
            pass_fds=self._files,
            start_new_session=True,  # Ctrl-C is ours to act on: we stop it after the last request
        )
