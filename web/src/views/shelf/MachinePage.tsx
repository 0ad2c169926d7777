import { useQuery } from "@tanstack/react-query";
import { answered, client, type Machine } from "../../api/client";
import { machinesQuery } from "../../api/queries";
import { ALONG, CONTROLS, type ControlKind, NEW_MACHINE } from "../../bench/kinds";
import { ifStill } from "../../bench/shelving";
import { EXITS } from "../../profile/loose";
import { Button } from "../../ui/Button";
import {
  Num,
  Part,
  Pick,
  Several,
  Text,
  Tick,
  useFieldValue,
  useSetPart,
} from "../../ui/DocumentForm";
import { styles } from "../../ui/styles";
import { Calibrations } from "./Calibrations";
import { ConnectionsForm } from "./ConnectionsForm";
import { LeverPicture } from "./LeverPicture";
import {
  controlSentence,
  hasPump,
  hasPumpCurve,
  heatSentence,
  limitsSentence,
  modesSentence,
  preambleSentence,
  programSentence,
  stepsSentence,
  waterPathSentence,
} from "./machineWords";
import { ReachPicture } from "./Pictures";
import { ShelvedForm } from "./ShelvedForm";
import { Slots } from "./Slots";
import { StagesPicture } from "./StagesPicture";
import { TaughtPanel } from "./TaughtPanel";
import { ValvePicture } from "./ValvePicture";

/** A machine: how it is controlled, its limits, what its program takes; calibrations and slots. */
export function MachinePage({ id }: { id: number | undefined }) {
  const machines = useQuery(machinesQuery());
  const machine = machines.data?.find((one) => one.id === id);
  const write = (document: Record<string, unknown>) => {
    const body = document as unknown as Machine;
    return answered(
      machine === undefined
        ? client.POST("/api/machines", { body })
        : client.PUT("/api/machines/{machine_id}", {
            params: { path: { machine_id: machine.id }, header: ifStill(machine) },
            body,
          }),
    );
  };
  const start = machine ? documentOf(machine) : NEW_MACHINE;
  return (
    <div className={styles.shelfPage}>
      {machine && <MachinePicture machine={machine} />}
      <ShelvedForm
        kind="machine"
        thing={machine}
        start={start}
        list={machinesQuery().queryKey}
        write={write}
      >
        <Part name="The machine" words={controlSentence}>
          <Text path="name" label="Name" />
          <ControlFields at="" />
          <Text path="note" label="Note" lines={2} />
        </Part>
        <Part name="Limits" words={limitsSentence}>
          <LimitFields />
        </Part>
        <Part name="Steps it takes" words={stepsSentence}>
          <StepFields />
          <Num path="steps.seconds" label="Time" unit="s" />
        </Part>
        <Part name="Its program" words={programSentence}>
          <ProgramFields at="" />
        </Part>
        <PreamblePart />
        <Part name="Modes" words={modesSentence}>
          <ModesFields />
        </Part>
        <Part name="Water path" words={waterPathSentence}>
          <Num path="head_free_ml" label="Head fills with" unit="mL" />
          <Num path="head_trapped_ml" label="Trapped air" unit="mL" />
          <Num path="hose_ml_bar" label="Hose compliance" unit="mL/bar" step={0.01} />
          <Num path="pressure_lag_s" label="Pressure lag" unit="s" />
          <Num path="flow_lag_s" label="Flow lag" unit="s" />
          <Num path="scale_lag_s" label="Scale lag" unit="s" />
          <Num path="after_drip_g" label="After-drip" unit="g" placeholder="model" />
        </Part>
        <Part name="Heat" words={heatSentence}>
          <Num path="boiler_ml" label="Boiler" unit="mL" step={10} placeholder="steady" />
          <Num path="heater_w" label="Heater" unit="W" step={50} />
          <Num
            path="water_follows_s"
            label="A phase's own water comes in"
            unit="s"
            step={0.5}
            placeholder="cannot"
          />
          <Num path="warm_up_min" label="Warms up in" unit="min" step={1} />
          <Num path="steam_min" label="Steam takes" unit="min more" step={1} />
        </Part>
      </ShelvedForm>
      {machine && (
        <>
          <TaughtPanel kind="machine" id={machine.id} />
          <Calibrations
            subject="machine"
            id={machine.id}
            valve={machine.control.kind === "valve"}
          />
          <Slots machineId={machine.id} />
          <ConnectionsForm machineId={machine.id} />
        </>
      )}
    </div>
  );
}

/** What a machine of its kind is about. */
function MachinePicture({ machine }: { machine: Machine }) {
  switch (machine.control.kind) {
    case "spring-lever":
    case "hand-lever":
      return <LeverPicture machine={machine} />;
    case "valve":
      return <ValvePicture machine={machine} />;
    case "staged":
      return (
        <>
          <StagesPicture machine={machine} />
          <ReachPicture machine={machine} />
        </>
      );
    default:
      return <ReachPicture machine={machine} />;
  }
}

/** The machine as its document: without what the server works out of it. */
function documentOf(machine: Machine) {
  const {
    id: _id,
    etag: _etag,
    simulated: _simulated,
    wired: _wired,
    commands: _commands,
    levels: _levels,
    ...rest
  } = machine;
  return rest;
}

/** Where the fields of the machine's own control lie, or of one of its other modes. */
interface At {
  at: "" | `modes.${number}.`;
}

function ControlFields({ at }: At) {
  return (
    <>
      <Pick
        path={`${at}control.kind`}
        label="Controls"
        options={CONTROLS}
        chosen={(kind: ControlKind) => ({
          kind,
          ...CONTROLS.find((one) => one.value === kind)?.begins,
        })}
      />
      <KindFields at={at} />
    </>
  );
}

function KindFields({ at }: At) {
  const kind = useFieldValue<ControlKind>(`${at}control.kind`);
  const springs = useFieldValue<object[] | undefined>(`${at}control.springs`) ?? [];
  const setPart = useSetPart();
  if (kind === "valve") return <Num path={`${at}control.pump_bar`} label="Pump" unit="bar" />;
  if (kind === "staged")
    return (
      <Pick
        path={`${at}control.holds`}
        label="Each stage holds"
        options={[
          { value: "pressure", words: "a pressure" },
          { value: "flow", words: "a flow" },
        ]}
      />
    );
  if (kind === "hand-lever")
    return (
      <>
        <Num path={`${at}control.bar_per_kg`} label="Puck for each kg" unit="bar" step={0.01} />
        <Num path={`${at}control.stroke_ml`} label="Stroke" unit="mL" step={1} />
      </>
    );
  if (kind === "soft-start")
    return (
      <>
        <Num path={`${at}control.pump_bar`} label="Pump" unit="bar" />
        <Num path={`${at}control.rise_s`} label="Comes up in" unit="s" />
      </>
    );
  if (kind !== "spring-lever") return null;
  return (
    <>
      {springs.map((_spring, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: springs are first and second
        <span key={i} className="contents">
          <Num
            path={`${at}control.springs.${i}.top_bar`}
            label={`Spring ${i + 1}, drawn`}
            unit="bar"
          />
          <Num
            path={`${at}control.springs.${i}.end_bar`}
            label={`Spring ${i + 1}, at its end`}
            unit="bar"
          />
          <Num
            path={`${at}control.springs.${i}.from_ml`}
            label={`Spring ${i + 1} falls from`}
            unit="mL"
            step={1}
          />
          <Num
            path={`${at}control.springs.${i}.to_ml`}
            label={`Spring ${i + 1} falls until`}
            unit="mL"
            step={1}
            placeholder="end"
          />
        </span>
      ))}
      <Button
        className="self-end"
        onClick={() =>
          setPart(
            `${at}control.springs`,
            springs.length === 1
              ? [...springs, { top_bar: 2.5, end_bar: 1.5, from_ml: 0, to_ml: null }]
              : springs.slice(0, 1),
          )
        }
      >
        {springs.length === 1 ? "Add a second spring" : "Only one spring"}
      </Button>
      <Num path={`${at}control.stroke_ml`} label="Stroke" unit="mL" step={1} />
      <Num path={`${at}control.line_bar`} label="Line, lever drawn" unit="bar" />
    </>
  );
}

/** What bounds it: of a pump only where there is one. */
function LimitFields() {
  const kind = useFieldValue<ControlKind>("control.kind");
  return (
    <>
      <Num path="relief_bar" label="Relief valve" unit="bar" />
      {hasPump(kind) && <Num path="floor_bar" label="Feed, 0 for a tank" unit="bar" />}
      {hasPumpCurve(kind) && (
        <>
          <Num path="top_flow_ml_s" label="Highest flow" unit="mL/s" />
          <Num path="pump_max_bar" label="Pump stalls at" unit="bar" />
        </>
      )}
      {hasPump(kind) && (
        <Pick
          path="when_off"
          label="Pump off"
          options={[
            { value: "dump", words: "dumps the group" },
            { value: "hold", words: "holds its pressure" },
          ]}
        />
      )}
      <Pick
        path="gauge_at"
        label="Gauge"
        options={[
          { value: "group", words: "at the group" },
          { value: "pump", words: "at the pump" },
          { value: "none", words: "none" },
        ]}
      />
    </>
  );
}

function ProgramFields({ at }: At) {
  return (
    <>
      <Num
        path={`${at}program.stages`}
        label="Stages, at most"
        unit=""
        step={1}
        placeholder="any"
      />
      <Num path={`${at}program.slots`} label="Slots" unit="" step={1} />
      <Num
        path={`${at}program.name_length`}
        label="Letters in a name"
        unit=""
        step={1}
        placeholder="any"
      />
      <Pick
        path={`${at}program.characters`}
        label="Letters"
        options={[
          { value: "any", words: "any" },
          { value: "plain", words: "a to z, digits" },
          { value: "capitals", words: "A to Z, digits" },
        ]}
      />
      <span className="flex flex-wrap gap-x-4 gap-y-1 leading-7">
        <Tick path={`${at}program.ramps`} label="levels may move within a stage" />
        <Tick path={`${at}program.pauses`} label="the pump may rest within a shot" />
        <Tick path={`${at}program.limits`} label="the other variable can be limited" />
      </span>
      <Several path={`${at}program.exits`} label="Stages end by" options={EXITS} allIsNull />
      <Several path={`${at}program.along`} label="Moves go along" options={ALONG} />
    </>
  );
}

/** What the machine does before any program, which nobody can change. */
function PreamblePart() {
  const preamble = useFieldValue<object | null>("preamble");
  const kind = useFieldValue<ControlKind>("control.kind");
  if (!hasPump(kind) && !preamble) return null;
  return (
    <Part name="Before any program" words={preambleSentence}>
      <PreambleFields at="" />
    </Part>
  );
}

function PreambleFields({ at }: At) {
  const preamble = useFieldValue<object | null>(`${at}preamble`);
  const setPart = useSetPart();
  return (
    <>
      {preamble && (
        <>
          <Num path={`${at}preamble.flow_ml_s`} label="Pre-wet flow" unit="mL/s" />
          <Num path={`${at}preamble.wet_s`} label="Pre-wet for" unit="s" step={0.5} />
          <Num path={`${at}preamble.soak_s`} label="Soak" unit="s" step={0.5} />
        </>
      )}
      <Button
        className="self-end"
        onClick={() =>
          setPart(`${at}preamble`, preamble ? null : { flow_ml_s: 3, wet_s: 2, soak_s: 3 })
        }
      >
        {preamble ? "Remove pre-wetting" : "Add pre-wetting"}
      </Button>
    </>
  );
}

const MOST_MODES = 5; // besides the first

/** Other ways the same machine is controlled, each set on it before a shot. */
function ModesFields() {
  const modes = useFieldValue<object[] | undefined>("modes") ?? [];
  const first = useFieldValue<string | null>("mode");
  const setPart = useSetPart();
  const add = () => {
    if (first === null) setPart("mode", "usual");
    const { program } = NEW_MACHINE;
    const begun = { name: "", control: { kind: "pressure-loop" }, program, preamble: null };
    setPart("modes", [...modes, begun]);
  };
  const remove = (at: number) => {
    const left = modes.filter((_, i) => i !== at);
    setPart("modes", left);
    if (left.length === 0) setPart("mode", null);
  };
  return (
    <>
      {modes.length > 0 && <Text path="mode" label="What is set as above is called" />}
      {modes.map((_mode, i) => (
        <fieldset
          // biome-ignore lint/suspicious/noArrayIndexKey: a mode is its place
          key={i}
          className="flex basis-full flex-wrap gap-x-5.5 gap-y-2 border-t border-t-rule pt-2"
          aria-label={`Mode ${i + 2}`}
        >
          <Text path={`modes.${i}.name`} label="Mode" placeholder="what the machine calls it" />
          <ControlFields at={`modes.${i}.`} />
          <PreambleFields at={`modes.${i}.`} />
          <details className="basis-full">
            <summary className="text-action">Its program</summary>
            <div className="flex flex-wrap gap-x-5.5 gap-y-2 pt-1">
              <ProgramFields at={`modes.${i}.`} />
            </div>
          </details>
          <Button onClick={() => remove(i)}>Remove this mode</Button>
        </fieldset>
      ))}
      {modes.length < MOST_MODES && (
        <Button className="self-end" onClick={add}>
          Add a mode
        </Button>
      )}
    </>
  );
}

/** The steps of what this kind of machine is commanded. */
function StepFields() {
  const kind = useFieldValue<ControlKind>("control.kind");
  if (kind === "spring-lever") return null;
  if (kind === "valve")
    return <Num path="steps.valve_turns" label="Valve" unit="turns" step={0.05} />;
  if (kind === "hand-lever")
    return <Num path="steps.force_kg" label="Force" unit="kg" step={0.5} />;
  return (
    <>
      <Num path="steps.pressure_bar" label="Pressure" unit="bar" />
      <Num path="steps.flow_ml_s" label="Flow" unit="mL/s" />
    </>
  );
}
