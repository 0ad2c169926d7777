"""Where devices answer."""

from __future__ import annotations

from tests.desk.pull.test_pull import AtBench
from vapocline.core.base.problems import Refused
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.shelf.connections import Connections, read_connections, write_connections


class Reaching(AtBench):
    def test_addresses_are_kept_and_those_that_do_not_answer_are_reported(self) -> None:
        self.addCleanup(write_connections, self.context, self.first, Connections())
        assert self.context.resources.simulators.machine
        lines = Connections(machine=self.context.resources.simulators.machine, scale="127.0.0.1:1")
        now = write_connections(self.context, self.first, lines)
        self.assertEqual(list(now.silent), ["scale"])
        self.assertEqual(read_connections(self.context, self.first), now)
        self.assertFalse(read_bench(self.context).machine.simulated)

    def test_what_is_no_address_is_refused_by_its_field(self) -> None:
        with self.assertRaises(Refused) as caught:
            write_connections(
                self.context,
                self.first,
                Connections(machine="somewhere", refractometer="pigeon://roof"),
            )
        self.assertEqual([p.field for p in caught.exception.problems], ["machine", "refractometer"])
