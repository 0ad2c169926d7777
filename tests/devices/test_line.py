"""The line itself: what a machine that misbehaves does to the desk's end of it."""

from __future__ import annotations

import contextlib
import json
import socket
import threading
import unittest
from collections.abc import Iterator
from unittest import mock

from tests.factories import pressure, profile
from vapocline.core.base.problems import DeviceError
from vapocline.devices import line as lines
from vapocline.devices.line import DeviceLine
from vapocline.devices.machine import LineMachine
from vapocline.devices.messages import (
    EndLine,
    EventLine,
    MessageLine,
    PlainOrder,
    Reply,
    SampleLine,
    read_line,
    read_order,
    written,
)

SAMPLE = {
    "is": "sample", "seq": 0, "t": 0.1, "pressure_bar": 1.5, "water_ml_s": 2.0, "weight_g": 0.0,
    "group_c": 92.0, "commanded": 4.0, "control": "flow", "phase": 0,
}  # fmt: skip


@contextlib.contextmanager
def machine_that(*answers: bytes, once: threading.Event | None = None) -> Iterator[str]:
    """A machine that answers each order it gets with the next of these, then hangs up.

    With `once` it answers nothing before that.
    """
    listener = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        with contextlib.suppress(OSError):
            line, _ = listener.accept()
            with line, line.makefile("rb") as orders:
                orders.readline()
                line.sendall(ok("hello"))
                for answer in answers:
                    if not orders.readline():
                        return
                    if once:
                        once.wait(90)
                    line.sendall(answer)

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    try:
        yield f"127.0.0.1:{listener.getsockname()[1]}"
    finally:
        listener.close()
        thread.join(90)


def ok(to: str) -> bytes:
    return written(Reply(to=to, ok=True))


def line(**message: object) -> bytes:
    return json.dumps(message).encode() + b"\n"


class Misbehaving(unittest.TestCase):
    def test_a_line_that_is_no_message_is_reported_with_how_it_began(self) -> None:
        with (
            machine_that(b"hello?\n") as address,
            LineMachine(address) as machine,
            self.assertRaisesRegex(DeviceError, "no message: b'hello"),
        ):
            machine.start()

    def test_a_machine_that_hangs_up_is_reported(self) -> None:
        with (
            machine_that() as address,
            LineMachine(address) as machine,
            self.assertRaisesRegex(
                DeviceError, "closed the connection|stopped responding|was lost"
            ),
        ):
            machine.start()

    def test_a_machine_that_is_slow_to_answer_is_waited_for(self) -> None:
        waited_in_vain, read = threading.Event(), DeviceLine._read

        def listen(line: DeviceLine) -> MessageLine | None:
            message = read(line)
            if message is None:
                waited_in_vain.set()
            return message

        with (
            mock.patch("vapocline.devices.line.SILENCE_S", 0.02),
            mock.patch.object(DeviceLine, "_read", listen),
            machine_that(ok("start"), once=waited_in_vain) as address,
            LineMachine(address) as machine,
        ):
            machine.start()
        self.assertTrue(waited_in_vain.is_set())

    def test_a_machine_that_never_answers_is_given_up(self) -> None:
        never = threading.Event()
        with (
            mock.patch("vapocline.devices.line.SILENCE_S", 0.02),
            mock.patch("vapocline.devices.line.ANSWER_WAIT_S", 0.1),
            machine_that(ok("start"), once=never) as address,
            LineMachine(address) as machine,
        ):
            with self.assertRaisesRegex(DeviceError, "stopped responding"):
                machine.start()
            never.set()

    def test_an_answer_to_another_order_is_none(self) -> None:
        with (
            machine_that(ok("stop")) as address,
            LineMachine(address) as machine,
            self.assertRaisesRegex(DeviceError, "did not respond to 'start'"),
        ):
            machine.start()

    def test_a_refusal_comes_with_the_machines_reason(self) -> None:
        refusal = written(Reply(to="load", ok=False, error="too many phases"))
        with (
            machine_that(refusal) as address,
            LineMachine(address) as machine,
            self.assertRaisesRegex(DeviceError, "refused to load: too many phases"),
        ):
            machine.load(profile(pressure(9)))

    def test_a_line_that_breaks_in_mid_shot_keeps_what_came_before(self) -> None:
        said = ok("watch") + line(**SAMPLE) + line(**SAMPLE | {"seq": 1, "t": 0.2})
        heard = []
        with (
            machine_that(said) as address,
            LineMachine(address) as machine,
            self.assertRaises(DeviceError),
        ):
            for message in machine.said():
                heard.append(message.seq)
        self.assertEqual(heard, [0, 1])

    def test_replies_among_the_samples_are_passed_over(self) -> None:
        said = ok("watch") + line(**SAMPLE) + ok("stop") + line(**{"is": "end", "seq": 1})
        with machine_that(said) as address, LineMachine(address) as machine:
            kinds = [type(message) for message in machine.said()]
        self.assertEqual(kinds, [SampleLine, EndLine])

    def test_a_line_without_end_is_cut_off(self) -> None:
        with (
            mock.patch.object(lines, "LONGEST_LINE", 1000),
            machine_that(ok("watch") + b"x" * 100_000) as address,
            LineMachine(address) as machine,
            self.assertRaisesRegex(DeviceError, "a line without end"),
        ):
            next(machine.said())

    def test_a_machine_that_answers_but_never_says_anything_is_given_up(self) -> None:
        with (
            mock.patch.object(lines, "MUTE_S", 0.0),
            mock.patch.object(lines, "SILENCE_S", 0.05),
            machine_that(*[ok("watch")] * 9) as address,
            LineMachine(address) as machine,
            self.assertRaisesRegex(DeviceError, "says nothing of the shot"),
        ):
            next(machine.said())

    def test_a_message_that_is_left_out_for_good_is_given_up(self) -> None:
        said = ok("watch") + b"".join(line(**SAMPLE | {"seq": n}) for n in range(1, 9))
        with (
            mock.patch.object(lines, "MOST_EARLY", 4),
            machine_that(said) as address,
            LineMachine(address) as machine,
            self.assertRaisesRegex(DeviceError, "left message 0 out"),
        ):
            next(machine.said())

    def test_what_was_on_its_way_when_a_lost_message_was_asked_for_is_no_answer(self) -> None:
        def said(*numbers: int) -> bytes:
            return b"".join(line(**SAMPLE | {"seq": n}) for n in numbers)

        first = ok("watch") + said(0, *range(2, 9))
        second = (
            said(*range(9, 600)) + ok("watch") + said(*range(1, 600)) + written(EndLine(seq=600))
        )
        with machine_that(first, second) as address, LineMachine(address) as machine:
            self.assertEqual([one.seq for one in machine.said()], list(range(601)))

    def test_a_late_reply_is_not_taken_for_the_next_orders(self) -> None:
        late = written(Reply(to="status", id="given up", ok=False, error="late"))
        with machine_that(late + ok("status")) as address, LineMachine(address) as machine:
            self.assertFalse(machine.status().running)

    def test_addresses_that_are_none(self) -> None:
        for address in ("nowhere", "127.0.0.1:notaport", ":"):
            with self.subTest(address), self.assertRaisesRegex(DeviceError, "No machine responds"):
                LineMachine(address)


class Messages(unittest.TestCase):
    def test_a_reading_that_no_gauge_can_give_is_none(self) -> None:
        """Devices write such numbers where they have no sensor."""
        for value in (3.4e38, -3.4e38, -999.0, 1e9):
            wild = dict.fromkeys(("pressure_bar", "water_ml_s", "weight_g", "group_c"), value)
            message = read_line(line(**SAMPLE | wild | {"commanded": 3.4e38, "by_hand": -1e9}))
            self.assertIsInstance(message, SampleLine)
            with self.subTest(value):
                self.assertEqual((message.pressure_bar, message.water_ml_s), (None, None))
                self.assertEqual((message.group_c, message.commanded), (None, None))
        for word in (b"NaN", b"Infinity", b"-Infinity", b"1e999"):
            raw = line(**SAMPLE).replace(b'"pressure_bar": 1.5', b'"pressure_bar": ' + word)
            with self.subTest(word):
                self.assertIsNone(read_line(raw).pressure_bar)

    def test_a_time_or_a_number_out_of_all_bounds_is_no_message(self) -> None:
        for field, value in (
            ("t", 1e9), ("t", -1), ("seq", -1), ("seq", 2**40), ("phase", 2**31), ("phase", -1),
            ("control", "x" * 81),
        ):  # fmt: skip
            with self.subTest(field, value=value), self.assertRaises(DeviceError):
                read_line(line(**SAMPLE | {field: value}))
        with self.assertRaises(DeviceError):
            read_line(line(**SAMPLE).replace(b'"t": 0.1', b'"t": NaN'))

    def test_a_newer_machine_may_say_more(self) -> None:
        message = read_line(line(**SAMPLE, humidity=40))
        self.assertIsInstance(message, SampleLine)
        self.assertEqual(message.t, 0.1)

    def test_every_message_comes_back_from_its_line(self) -> None:
        messages = (
            Reply(to="hello", ok=True, name="M"),
            EventLine(seq=3, t=1.2, what="phase", phase=1, because="seconds"),
            EndLine(seq=9),
            SampleLine.model_validate(SAMPLE),
        )
        for message in messages:
            self.assertEqual(read_line(written(message)), message)
            self.assertEqual(written(message).count(b"\n"), 1)

    def test_what_lacks_a_field_or_a_kind_is_no_message(self) -> None:
        for raw in (b"{}\n", b'{"is": "sample"}\n', b'{"is": "song", "seq": 1}\n', b"[1]\n", b"\n"):
            with self.subTest(raw), self.assertRaises(DeviceError):
                read_line(raw)

    def test_orders_are_of_the_known_kinds(self) -> None:
        self.assertEqual(read_order(b'{"do": "watch", "since": 7}').since, 7)
        self.assertEqual(read_order(written(PlainOrder(do="stop"))), PlainOrder(do="stop"))
        for raw in (b'{"do": "dance"}', b"{}", b"not json"):
            with self.subTest(raw), self.assertRaisesRegex(DeviceError, "not an order"):
                read_order(raw)
