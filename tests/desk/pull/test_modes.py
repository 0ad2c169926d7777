"""A machine of several modes on the bench: what is planned, asked, pulled and compared."""

from __future__ import annotations

from tests.desk.learn.at_bench import add
from tests.desk.pull.test_pull import AtBench
from tests.factories import flow, pressure, profile, seconds
from vapocline.core.base.problems import ConflictError, Refused
from vapocline.core.formats.registry import LEARNT
from vapocline.core.machine.machine import FlowLoop, Machine, Mode, PressureLoop
from vapocline.core.pull.readiness import Item
from vapocline.desk.bench.bench import BenchChange, BenchSeen, change_bench, read_bench
from vapocline.desk.learn.learning import learn_together
from vapocline.desk.plan.forecast import forecast
from vapocline.desk.pull.readiness import prepare
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import begin_pull, pull
from vapocline.desk.read.shots import read_shot
from vapocline.desk.shelf.machines import add_machine, change_machine, read_machine
from vapocline.desk.taste.compare import compare_shots
from vapocline.store.database import transaction
from vapocline.store.knowledge import newest_knowledge
from vapocline.store.learn import Together

PUMPED, PRESSED = profile(flow(3, None, seconds(20))), profile(pressure(6, None, seconds(20)))
TWO = Machine(
    name="Two ways",
    mode="flow",
    control=FlowLoop(),
    modes=(Mode(name="pressure", control=PressureLoop()),),
)


class OnAMachineOfTwoModes(AtBench):
    instruments = True

    def setUp(self) -> None:
        super().setUp()
        name = self._testMethodName[5:40]
        self.two = TWO.model_copy(update={"name": name})
        self.machine = add_machine(self.context, self.two)
        change_bench(self.context, BenchChange(machine_id=self.machine.id))

    def armed(self, request: PullRequest) -> Item:
        items = prepare(self.context, request).items
        return next(item for item in items if item.check == "armed")

    def test_it_begins_in_its_first_and_says_which_would_run_the_profile(self) -> None:
        bench = read_bench(self.context)
        self.assertEqual((bench.machine_mode, bench.modes), ("flow", ["flow", "pressure"]))
        self.assertEqual(bench.machine.commands, ("flow", "off"))
        found = forecast(self.context, PUMPED)
        self.assertEqual((found.misfits, found.runs_in), ([], []))
        request = self.request(PRESSED)
        lacking = self.armed(request)
        self.assertEqual(lacking.state, "missing")
        self.assertIn("; set it to pressure, which can", lacking.words)
        with self.assertRaisesRegex(Refused, "takes flow, off on"):
            begin_pull(self.context, request)
        bench = change_bench(self.context, BenchChange(machine_mode="pressure"))
        self.assertEqual(bench.machine.commands, ("pressure", "off"))
        self.assertEqual(bench.machine.etag, self.machine.etag, "what is stored is the same")
        self.assertEqual(forecast(self.context, PRESSED).runs_in, [])

    def test_how_it_is_set_is_asked_as_no_machine_says_it(self) -> None:
        request = self.request(PUMPED)
        asked = self.armed(request)
        self.assertEqual((asked.state, asked.words), ("ask", f"{self.machine.name} is set to flow"))
        said = request.model_copy(update={"confirmed": frozenset({"armed"})})
        self.assertEqual(self.armed(said).state, "ready")

    def test_a_shot_keeps_its_mode_which_is_a_cause_where_it_differs(self) -> None:
        ids = []
        for mode, one in (("flow", PUMPED), ("pressure", PRESSED)):
            change_bench(self.context, BenchChange(machine_mode=mode))
            ids.append(pull(self.context, self.request(one, name=f"Run in {mode}")))
        machines = [read_shot(self.context, i).conditions.tamped.machine for i in ids]
        self.assertEqual([one.mode for one in machines], ["flow", "pressure"])
        self.assertEqual([one.modes for one in machines], [(), ()])
        found = compare_shots(self.context, ids[0], ids[1]).comparison
        self.assertIn("mode", [one.what for one in found.done])

    def test_an_unknown_mode_is_refused_and_another_machine_begins_in_its_first(
        self,
    ) -> None:
        with self.assertRaisesRegex(Refused, "machine_mode: got 'steam'; takes flow, pressure"):
            change_bench(self.context, BenchChange(machine_mode="steam"))
        change_bench(self.context, BenchChange(machine_mode="pressure"))
        stale = BenchChange(machine_mode="flow", seen=BenchSeen(machine_mode="flow"))
        with self.assertRaisesRegex(ConflictError, "The machine's mode was changed elsewhere"):
            change_bench(self.context, stale)
        one = add_machine(self.context, Machine(name="One way"))
        bench = change_bench(self.context, BenchChange(machine_id=one.id))
        self.assertEqual((bench.machine_mode, bench.modes), (None, []))
        with self.assertRaisesRegex(Refused, "One way has one only"):
            change_bench(self.context, BenchChange(machine_mode="flow"))

    def test_learning_takes_each_shot_in_the_mode_it_was_pulled_in(self) -> None:
        coffee, grinder = add(self.context, "In two modes")
        change_bench(self.context, BenchChange(coffee_id=coffee, grinder_id=grinder))
        for mode, one in (("flow", PUMPED), ("pressure", PRESSED)):
            change_bench(self.context, BenchChange(machine_mode=mode))
            pull(self.context, self.request(one, name=f"Learnt in {mode}"))
        together = Together(coffee, grinder, self.machine.id)
        self.assertTrue(learn_together(self.context.resources, together))
        with transaction(self.context.sessions) as session:
            row = newest_knowledge(session, together)
            assert row
            learnt = LEARNT.read(row.learnt)
        self.assertEqual((len(learnt.counted), learnt.left_out), (2, []))

    def test_a_mode_that_was_taken_off_the_shelf_leaves_the_first(self) -> None:
        change_bench(self.context, BenchChange(machine_mode="pressure"))
        change_machine(self.context, self.machine.id, self.two.model_copy(update={"modes": ()}))
        bench = read_bench(self.context)
        self.assertEqual((bench.machine_mode, bench.machine.control), ("flow", FlowLoop()))
        self.assertEqual(read_machine(self.context, self.machine.id).modes, ())
