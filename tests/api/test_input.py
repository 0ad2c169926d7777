"""Whatever is sent is answered: with what was asked for, or with what is wrong. Never a fault."""

from __future__ import annotations

import contextlib
import json
import os
from collections import Counter
from itertools import count
from typing import Any, ClassVar
from unittest.mock import patch
from urllib.parse import quote

import httpx
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis.strategies import SearchStrategy
from schemathesis import GenerationMode

from tests.api.test_house import SHORT, Served
from tests.factories import EVERY_CHECK
from tests.marks import is_exhaustive, more_cases, some_of
from tests.parts import wait_for
from tests.scripted import ScriptedMachine, end, samples, stop
from vapocline.desk.bench import bench
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import begin_pull
from vapocline.desk.shelf.connections import Connections, write_connections

MANY = int(
    os.environ.get("VAPOCLINE_FUZZ", "4" if is_exhaustive() else "1")
)  # requests of each sort to each operation
WAIT_S = 90
IDS = (
    "coffee_id", "bag_id", "grinder_id", "basket_id", "machine_id", "row_id", "number",
    "subject_id", "calibration_id", "profile_id", "shot_id", "series_id", "first", "second",
    "version", "from_machine_id", "based_on", "served",
)  # fmt: skip
RIGHT_TO_LEFT, ZERO_WIDTH = "\u202e", "\u200b"
CSV = "time_s,pressure_bar\n0,1\n1,2\n3,4\n"


def meet_rows(part: Any) -> None:
    """Numbers of rows that the sample world has, in place: any others would seldom be met."""
    for name, value in part.items() if isinstance(part, dict) else ():
        if isinstance(value, int) and name in IDS:
            part[name] = value % 5 + 1


class AnyRequest(Served):
    """Requests made up from the API's own description, right and wrong ones."""

    sample_world: ClassVar[bool] = True

    @more_cases
    def test_none_is_answered_with_a_fault(self) -> None:
        schema = schemathesis.openapi.from_url(f"{self.address}/api/openapi.json", timeout=WAIT_S)
        operations = [found.ok() for found in schema.get_all_operations()]
        self.assertGreater(len(operations), 60)
        faults: dict[str, str] = {}
        sent = Counter[GenerationMode]()
        for operation in operations:
            for mode in GenerationMode:
                if mode is GenerationMode.POSITIVE or self.takes_anything(operation):
                    self.ask(operation.as_strategy(generation_mode=mode), mode, faults, sent)
        self.assertEqual(faults, {})
        for mode in GenerationMode:
            self.assertGreater(sent[mode], MANY * 50)

    def takes_anything(self, operation: schemathesis.APIOperation) -> bool:
        """Whether something in a request can be wrong."""
        return any([*operation.path_parameters, *operation.query, *operation.body])

    def ask(
        self,
        cases: SearchStrategy[schemathesis.Case],
        mode: GenerationMode,
        faults: dict[str, str],
        sent: Counter[GenerationMode],
    ) -> None:
        @settings(
            max_examples=MANY,
            deadline=None,
            database=None,
            suppress_health_check=list(HealthCheck),
            phases=[Phase.generate],
        )
        @seed(12)
        @given(case=cases)
        def send(case: schemathesis.Case) -> None:
            if mode is GenerationMode.POSITIVE:
                for part in (case.path_parameters, case.query, case.body):
                    meet_rows(part)
            answer = case.call(timeout=WAIT_S)
            sent[mode] += 1
            if answer.status_code == httpx.codes.INTERNAL_SERVER_ERROR:
                faults[case.operation.label] = case.as_curl_command()

        send()


class Odd(Served):
    numbers = count(1)

    def problem(self, answer: httpx.Response, status: int = 422) -> str:
        return str(self.refused(answer, status)["detail"])

    def test_numbers_that_no_row_can_have_are_not_found(self) -> None:
        for path in (
            "/api/shots/4304062777", f"/api/profiles/1/versions/{2**63}",
            f"/api/compare?first={10**30}&second=-{10**30}", "/api/machines/2147483648/slots",
        ):  # fmt: skip
            self.problem(self.client.get(path), 404)
        far = {"Vapocline-Bench": "7320287875741"}
        self.problem(self.client.get("/api/bench", headers=far), 404)
        self.problem(self.client.patch("/api/bench", json={"basket_id": -(10**21)}), 404)

    def test_a_name_has_one_spelling_and_nothing_hidden(self) -> None:
        for name, code in (
            (f"Ferrow{RIGHT_TO_LEFT} Hill", "U+202E"), (f"Ferrow{ZERO_WIDTH}Hill", "U+200B"),
            ("Ferrow\x07Hill", "U+0007"), ("Ferrow\x00Hill", "U+0000"), ("\u115f", "U+115F"),
            ("\u2800\u2800", "U+2800"), ("\u3164", "U+3164"), ("a\uffa0b", "U+FFA0"),
        ):  # fmt: skip
            said = self.problem(self.client.post("/api/grinders", json={"name": name}))
            self.assertIn(f"takes a name without invisible characters (it has {code})", said)
        for marks in ("\u0301", "\u0301 \ufe0f"):
            said = self.problem(self.client.post("/api/grinders", json={"name": marks}))
            self.assertIn("takes a name that can be seen", said)
        first = self.client.post("/api/coffees", json={"name": " Caf\u00e9\u00a0 one "})
        self.assertEqual(first.json()["name"], "Caf\u00e9 one")
        again = self.client.post("/api/coffees", json={"name": "Cafe\u0301 one"})
        self.assertIn("already exists", self.problem(again, 409))

    def test_text_that_cannot_be_written_is_refused_and_the_refusal_can_be_read(self) -> None:
        body = b'{"name": "\\ud800 half a letter", "note": "\\udfff"}'
        answer = self.client.post(
            "/api/coffees", content=body, headers={"content-type": "application/json"}
        )
        self.assertIn("text without lone surrogates", self.problem(answer))
        for note in ("nul \x00", "ok", "line\nline \u2615\ufe0f"):
            answer = self.client.post("/api/coffees", json={"name": f"N{len(note)}", "note": note})
            self.assertEqual(answer.status_code, 422 if "\x00" in note else 201, answer.text)
        for unknown in ({"new": "\ud800"}, {"n\x00": 1}):
            body = json.dumps({"name": "Unknown", "profile": SHORT.written() | unknown}).encode()
            answer = self.client.post(
                "/api/profiles", content=body, headers={"content-type": "application/json"}
            )
            self.problem(answer)

    def test_deep_and_empty_unknown_fields(self) -> None:
        deep: Any = None
        for _ in range(900):
            deep = {"extra": deep}
        for version, extra in ((1, deep), (1, None), (2, None), (2, deep)):
            document = SHORT.written() | {"version": version, "extra": extra}
            answer = self.client.post("/api/bench/forecast", json={"profile": document})
            self.assertEqual(answer.status_code, 200 if extra is None else 422, answer.text)
        levels = b'{"profile":' + b"[" * 100_000
        answer = self.client.post(
            "/api/bench/forecast", content=levels, headers={"content-type": "application/json"}
        )
        self.assertIn(answer.status_code, (400, 422))

    def test_a_long_or_strange_path_is_the_page(self) -> None:
        for path in ("x" * 300, "a/" * 200, quote("\x00/\ud83d", errors="surrogatepass"), "%FF"):
            self.assertEqual(self.client.get(f"/{path}").status_code, 200, path)

    def test_a_profile_without_phases_has_nothing_to_fix(self) -> None:
        empty = {"profile": {"name": "Empty"}}
        machine = self.client.get("/api/bench").json()["machine"]["id"]
        for path, more in (
            ("/api/bench/fix", {}), ("/api/bench/fixes", {}), ("/api/bench/forecast", {}),
            ("/api/translations", {"machine_id": machine}),
        ):  # fmt: skip
            answer = self.client.post(path, json=empty | more)
            self.assertLess(answer.status_code, 500)
            self.assertIn("phases: got none; takes at least one phase", answer.text)

    @more_cases
    def test_recordings_of_any_length_up_to_five_minutes_are_tidied(self) -> None:
        for seconds in some_of((300, 200, 139), 1):
            rows = "\n".join(f"{t},{min(9, t / 10)},{t / 4}" for t in range(seconds + 1))
            csv = f"time_s,pressure_bar,cup_g\n{rows}"
            answer = self.client.post("/api/tidied", json={"csv": csv})
            self.assertEqual(answer.status_code, 200, answer.text)
            self.assertLessEqual(answer.json()["tidied"]["profile"]["stop"]["time_s"], 300)

    def test_recordings_with_impossible_cells_are_refused_by_their_line(self) -> None:
        for csv, said in (
            (CSV + "1e9,5", "csv.time_s: got 1e+09 s in all; takes at most 360 s"),
            (CSV + "nan,5", "csv.time_s.5: got 'nan'; takes a number"),
            (CSV + "4,inf", "csv.pressure_bar.5: got 'inf'; takes a number"),
            (CSV + f'5,"{"9" * 200_000}"', "field larger than field limit"),
            (CSV + "5,6\x00", "takes a number"),
        ):
            self.assertIn(said, self.problem(self.client.post("/api/tidied", json={"csv": csv})))
        unknown = "time_s,pressure_bar,cup_g\n" + "\n".join(f"{t},3,nan" for t in range(9))
        self.assertEqual(self.client.post("/api/tidied", json={"csv": unknown}).status_code, 200)

    def test_a_reading_of_water_is_no_strength(self) -> None:
        number = self.pulled([*samples(60), stop(60, 3.0), *samples(20, 61), end(81)])
        reading = ScriptedMachine([])
        self.enterContext(contextlib.closing(reading))
        for tds_pct in (0.04, 60):
            with patch("vapocline.desk.read.strength.open_refractometer") as opened:
                opened.return_value.read.return_value.tds_pct = tds_pct
                with patch("vapocline.desk.read.strength.refractometer_address"):
                    answer = self.client.post(f"/api/shots/{number}/strength/read")
            self.assertIn("which is no drink's strength", self.problem(answer, 502))
        self.assertIsNone(self.client.get(f"/api/shots/{number}").json()["tds_pct"])

    def test_a_shot_that_stopped_before_any_phase_began_can_be_read_everywhere(self) -> None:
        first = self.pulled([*samples(60), stop(60, 3.0), *samples(20, 61), end(81)])
        second = self.pulled([stop(0, 0.05), end(1)])
        for shot in (first, second):
            for path in ("", "/review", "/traces.csv"):
                answer = self.client.get(f"/api/shots/{shot}{path}")
                self.assertEqual(answer.status_code, 200, answer.text)
        answer = self.client.get(f"/api/compare?first={first}&second={second}")
        self.assertEqual(answer.status_code, 200, answer.text)
        answer = self.client.post("/api/tidied", json={"shot_id": second})
        self.assertIn("shot_id", self.problem(answer))

    def pulled(self, said: list[bytes]) -> int:
        machine = self.enterContext(contextlib.closing(ScriptedMachine(said)))
        first = bench.read_bench(self.context).machine.id
        write_connections(self.context, first, Connections(machine=machine.address))
        self.addCleanup(write_connections, self.context, first, Connections())
        request = PullRequest(
            profile_id=self.started(f"Odd {next(self.numbers)}"), number=1, despite=EVERY_CHECK
        )
        number = begin_pull(self.context, request)
        path = f"/api/shots/{number}"
        wait_for(lambda: self.client.get(path).json()["state"] != "running", "the end")
        return number

    def test_a_fault_is_told_and_does_not_cost_the_next_request_its_connection(self) -> None:
        with (
            patch("vapocline.desk.tidy.tidy.traces_from_csv", side_effect=ZeroDivisionError),
            self.assertLogs("vapocline.api.errors", "ERROR"),
        ):
            answer = self.client.post("/api/tidied", json={"csv": CSV})
        said = self.problem(answer, 500)
        self.assertIn("The log has the details", said)
        self.assertIn("content-security-policy", answer.headers)
        self.assertNotEqual(answer.headers.get("connection"), "close")
        used = answer.extensions["network_stream"].get_extra_info("client_addr")
        after = self.client.get("/api/health")
        self.assertEqual(after.extensions["network_stream"].get_extra_info("client_addr"), used)
