import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { ChevronDown, Plus, X } from "lucide-react";
import { memo } from "react";
import type { Machine, Notice, Prediction, RefusedField } from "../../api/client";
import { benchQuery } from "../../api/queries";
import { keyWords, useActionLists } from "../../bench/actions";
import { dialMore, isDialed, useDialReading } from "../../profile/dial";
import { levelStep } from "../../profile/edits";
import {
  ALONGS,
  CONTROLS,
  commanding,
  EXITS,
  KINDS,
  type LooseExit,
  type LoosePhase,
  replaced,
  SHAPES,
  type Shape,
} from "../../profile/loose";
import { wordsAgainst } from "../../profile/useForecast";
import { type Planned, withPhase } from "../../profile/usePlanned";
import { alongWords } from "../../profile/words";
import { Button, buttonStyle } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Key } from "../../ui/Key";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { readUnit } from "../../ui/units";

interface Props {
  planned: Planned;
  index: number;
  problems: RefusedField[];
  notices: readonly Notice[];
  prediction: Prediction | undefined;
}

/** What the dial reads at the end of a phase, by the forecast's flow there. */
function useDialWords(
  machine: Machine | undefined,
  prediction: Prediction | undefined,
  index: number,
) {
  const on = useDialReading((state) => state.on) && isDialed(machine);
  const end = prediction?.phases[index]?.end_s;
  return (bar: Typed) =>
    on && prediction && end != null && typeof bar === "number"
      ? `, dial ${(bar + dialMore(prediction, end - 0.2)).toFixed(1)}`
      : "";
}

/** How a part of the editor changes its phase and learns what is refused in it. */
interface Part {
  phase: LoosePhase;
  set: (field: string, next: LoosePhase) => void;
  against: (path: string) => string | undefined;
  /** What is allowed but will hardly do what was meant. */
  noted: (path: string) => string | undefined;
  machine: Machine | undefined;
  /** What the dial reads at a level, in words; none where that is not wanted or not known. */
  onDial: (bar: Typed) => string;
}

/** One phase as a sentence with fields. */
export function PhaseEditor({ planned, index, problems, notices, prediction }: Props) {
  const bench = useQuery(benchQuery());
  const dialWords = useDialWords(bench.data?.machine, prediction, index);
  const phase = planned.profile.phases[index];
  if (!phase) return null;
  const path = `phases.${index}`;
  const part: Part = {
    phase,
    set: (field, next) => planned.edit(`${path}.${field}`, withPhase(planned, index, next)),
    against: (name) => wordsAgainst(problems, `${path}.${name}`),
    noted: (name) => notices.find((one) => one.field === `${path}.${name}`)?.words,
    machine: bench.data?.machine,
    onDial: dialWords,
  };
  return (
    <section
      className={styles.editor}
      data-ui="editor"
      data-editor
      aria-label={`Phase ${index + 1}: ${phase.name}`}
    >
      <div className={styles.row}>
        <NameField {...part} />
        <Choice
          label="Kind"
          value={phase.kind}
          options={KINDS}
          onChange={(kind) => part.set("kind", named(phase, kind))}
        />
        <CommandFields {...part} />
        <PhaseMenu />
      </div>
      <div className={styles.row}>
        <LimitField {...part} />
        <ExitFields {...part} />
        <WaterField {...part} />
      </div>
    </section>
  );
}

/** Under a new kind; a name that was only the old kind's follows. */
function named(phase: LoosePhase, kind: LoosePhase["kind"]): LoosePhase {
  const was = KINDS.find((one) => one.value === phase.kind)?.words;
  const now = KINDS.find((one) => one.value === kind)?.words ?? phase.name;
  return { ...phase, kind, name: phase.name === was ? now : phase.name };
}

function NameField({ phase, set, against }: Part) {
  const error = against("name");
  return (
    <span className={styles.withError} data-ui="field-frame">
      <input
        className={cn(styles.textField, "w-28 font-semibold!")}
        data-ui="field"
        aria-label="Phase name"
        aria-invalid={error ? true : undefined}
        value={phase.name}
        maxLength={60}
        onChange={(event) => set("name", { ...phase, name: event.target.value })}
      />
      {error && <FieldError>{`Phase name: ${error}`}</FieldError>}
    </span>
  );
}

const SPRINGS = [
  { value: 1, words: "with one spring" },
  { value: 2, words: "with both springs" },
];

/** Every command, those the machine does not take greyed, with why. */
function offered(machine: Machine | undefined) {
  return CONTROLS.map((one) =>
    !machine || machine.commands.includes(one.value)
      ? one
      : { ...one, disabled: true, why: `${machine.name} takes ${takes(machine)}` },
  );
}

function takes(machine: Machine) {
  return machine.commands
    .map((control) => CONTROLS.find((one) => one.value === control)?.words ?? control)
    .join(", ");
}

/** The options with those greyed that the machine has no place for, and why. */
function greyed<T extends string, O extends { value: T; disabled?: boolean }>(
  options: readonly O[],
  taken: readonly string[] | null | undefined,
  why: string,
): (O & { why?: string })[] {
  return options.map((one) =>
    !taken || taken.includes(one.value) ? one : { ...one, disabled: true, why },
  );
}

type Move = "held" | Shape;
const MOVES: readonly { value: Move; words: string }[] = [
  { value: "held", words: "held" },
  ...SHAPES,
];
const FIRST_LENGTH = 5;

function CommandFields(part: Part) {
  const { phase, set, against, machine } = part;
  const { control, from, to } = phase.command;
  const { unit: own } = CONTROLS.find((one) => one.value === control) ?? { unit: "" };
  const unit = control === "pressure" ? `${own}${part.onDial(to ?? null)}` : own;
  const step = levelStep(machine, control);
  const held = phase.over === 0;
  const move = (next: Move) =>
    next === "held"
      ? set("over", { ...phase, over: 0, command: { ...phase.command, from: to ?? 0 } })
      : set("shape", { ...phase, shape: next, over: held ? FIRST_LENGTH : phase.over });
  return (
    <>
      <Choice
        label="Command"
        value={control}
        options={offered(machine)}
        onChange={(next) => set("control", commanding(phase, next))}
        error={against("command.control")}
      />
      {control === "spring" && (
        <Choice
          label="Springs"
          value={phase.command.springs ?? 1}
          options={SPRINGS}
          onChange={(springs) => set("springs", { ...phase, command: { control, springs } })}
          error={against("command.springs")}
        />
      )}
      {control !== "off" && control !== "spring" && (
        <>
          <Choice
            label="Move"
            value={held ? "held" : phase.shape}
            options={greyed<Move, (typeof MOVES)[number]>(
              MOVES,
              machine && !machine.program.ramps ? ["held"] : null,
              `${machine?.name} holds one level a stage`,
            )}
            onChange={move}
          />
          {held ? (
            <Labelled before="at" after={unit}>
              <NumberField
                label="Level"
                value={to ?? null}
                step={step}
                error={against("command.to") ?? against("command.from")}
                onChange={(value) =>
                  set("level", { ...phase, command: { control, from: value, to: value } })
                }
              />
            </Labelled>
          ) : (
            <MoveFields {...part} unit={unit} step={step} from={from ?? null} to={to ?? null} />
          )}
        </>
      )}
    </>
  );
}

function MoveFields(
  props: Part & { unit: string; step: number; from: LoosePhase["over"]; to: LoosePhase["over"] },
) {
  const { phase, set, against, noted, machine, unit, step, from, to } = props;
  const along = ALONGS.find((one) => one.value === phase.along) ?? ALONGS[0];
  return (
    <>
      <Labelled before="from">
        <NumberField
          label="From"
          value={from}
          step={step}
          error={against("command.from")}
          onChange={(value) =>
            set("from", { ...phase, command: { ...phase.command, from: value } })
          }
        />
      </Labelled>
      <Labelled before="to" after={unit}>
        <NumberField
          label="To"
          value={to}
          step={step}
          error={against("command.to")}
          onChange={(value) => set("to", { ...phase, command: { ...phase.command, to: value } })}
        />
      </Labelled>
      <Labelled before="over">
        <NumberField
          label="Length"
          value={phase.over}
          unit={along?.unit}
          step={along?.step ?? 0.5}
          error={against("over")}
          note={noted("over")}
          onChange={(over) => set("over", { ...phase, over: over === 0 ? "0" : over })}
        />
      </Labelled>
      <Choice
        label="Along"
        value={phase.along}
        options={greyed<LoosePhase["along"], (typeof ALONGS)[number]>(
          ALONGS.map((one) => ({ ...one, words: alongWords(one) })),
          machine?.program.along,
          `${machine?.name} moves along ${machine?.program.along.join(", ")}`,
        )}
        onChange={(next) => set("along", { ...phase, along: next })}
      />
    </>
  );
}

const LIMITED = ["pressure", "flow", "valve"];

/** Whether there is a limit to set: one that is there already can always be taken away. */
function limitable({ phase, machine }: Part) {
  if (!LIMITED.includes(phase.command.control)) return false;
  const { pressure_bar, flow_ml_s } = phase.limit;
  return machine?.program.limits !== false || pressure_bar != null || flow_ml_s != null;
}

function LimitField(part: Part) {
  const { phase, set, against } = part;
  const { control } = phase.command;
  if (!limitable(part)) return null;
  const flow = control === "pressure";
  const name = flow ? "flow_ml_s" : "pressure_bar";
  return (
    <Labelled before={"at most"} after={`${flow ? "mL/s" : "bar"}, until`}>
      <NumberField
        label="Limit"
        value={phase.limit[name] ?? null}
        placeholder="any"
        error={against(`limit.${name}`)}
        onChange={(value) =>
          set("limit", { ...phase, limit: value === null ? {} : { [name]: value } })
        }
      />
    </Labelled>
  );
}

/** Water of the phase's own, on a machine that can; one that is there can always be taken away. */
function WaterField({ phase, set, against, machine }: Part) {
  if (machine?.water_follows_s == null && phase.water_c == null) return null;
  return (
    <Labelled before="with water of">
      <NumberField
        label="Water of the phase"
        value={phase.water_c ?? null}
        unit="°C"
        step={0.5}
        placeholder="shot's"
        error={against("water_c")}
        onChange={(water_c) => set("water_c", { ...phase, water_c })}
      />
      <span className="leading-7">{readUnit("°C")}</span>
    </Labelled>
  );
}

function ExitFields(part: Part) {
  const { phase, set, against, noted, machine } = part;
  const change = (field: string, exits: LooseExit[]) => set(field, { ...phase, exits });
  const free = freeExit(phase.exits, machine);
  return (
    <>
      {!limitable(part) && <span className="leading-7">until</span>}
      {phase.exits.map((exit, i) => (
        <ExitField
          key={exit.when}
          exit={exit}
          joined={i > 0}
          taken={phase.exits.map((one) => one.when)}
          machine={machine}
          error={against(`exits.${i}.value`) ?? against(`exits.${i}.when`) ?? against(`exits.${i}`)}
          note={noted(`exits.${i}.value`)}
          set={(next) => change(`exits.${exit.when}`, replaced(phase.exits, i, next))}
          remove={() => change("", phase.exits.toSpliced(i, 1))}
        />
      ))}
      {free && (
        <Button onClick={() => change("", [...phase.exits, exitOf(free.value)])}>
          <Plus size={14} aria-hidden="true" /> {phase.exits.length ? "or" : "Add an exit"}
        </Button>
      )}
      {phase.exits.length > 1 && (
        <span className="leading-7 text-quiet">whichever comes first</span>
      )}
      {against("exits") && <FieldError>{`Exits: ${against("exits")}`}</FieldError>}
    </>
  );
}

/** The exit most often wanted next, of those the machine knows: seconds, then what is not there. */
function freeExit(exits: LooseExit[], machine: Machine | undefined) {
  const known = machine?.program.exits;
  return EXITS.find(
    ({ value }) => !exits.some((exit) => exit.when === value) && (!known || known.includes(value)),
  );
}

function exitOf(when: LooseExit["when"]): LooseExit {
  const first = EXITS.find((one) => one.value === when)?.first;
  return first === undefined ? { when } : { when, value: first };
}

function ExitField(props: {
  exit: LooseExit;
  joined: boolean;
  taken: LooseExit["when"][];
  machine: Machine | undefined;
  error: string | undefined;
  note: string | undefined;
  set: (exit: LooseExit) => void;
  remove: () => void;
}) {
  const { exit, joined, taken, machine, error, note, set, remove } = props;
  const rule = EXITS.find((one) => one.value === exit.when);
  const options = greyed<LooseExit["when"], (typeof EXITS)[number] & { disabled: boolean }>(
    EXITS.map((one) => ({
      ...one,
      disabled: one.value !== exit.when && taken.includes(one.value),
    })),
    machine?.program.exits,
    `${machine?.name} does not end a stage by it`,
  );
  return (
    <span className={styles.groupOf}>
      {joined && <span className="leading-7">or</span>}
      <Choice
        label="Exit"
        value={exit.when}
        options={options}
        onChange={(when) => set(exitOf(when))}
      />
      {rule?.unit && (
        <>
          <NumberField
            label={`Exit: ${rule.words}`}
            value={exit.value ?? null}
            step={rule.step}
            unit={rule.unit}
            error={error}
            note={note}
            onChange={(value) => set({ ...exit, value })}
          />
          <span className="leading-7">{readUnit(rule.unit)}</span>
        </>
      )}
      {!rule?.unit && error && <FieldError>{error}</FieldError>}
      <Button
        className="px-1.5!"
        aria-label={`Remove the exit: ${rule?.words}`}
        title="Remove this exit"
        onClick={remove}
      >
        <X size={14} aria-hidden="true" />
      </Button>
    </span>
  );
}

function Labelled(props: { before: string; after?: string; children: React.ReactNode }) {
  return (
    <span className={styles.groupOf}>
      <span className="leading-7">{props.before}</span>
      {props.children}
      {props.after && <span className="leading-7">{props.after}</span>}
    </span>
  );
}

const DEEDS = ["add", "copy", "split", "merge", "move-1", "move1", "remove"];

/** What can be done with the whole phase: the same actions as by key. */
const PhaseMenu = memo(function PhaseMenu() {
  const actions = useActionLists((state) => state.lists.plan) ?? [];
  const deeds = DEEDS.flatMap((id) => actions.find((one) => one.id === id) ?? []);
  return (
    <Menu>
      <MenuButton className={buttonStyle("plain", "ml-auto")}>
        Phase <ChevronDown size={13} aria-hidden="true" />
      </MenuButton>
      <MenuItems
        anchor={{ to: "bottom end", gap: 4, padding: 8 }}
        className={cn(styles.panel, "z-50 w-72 p-1")}
      >
        {deeds.map(({ id, words, key, disabled = false, run }) => (
          <MenuItem key={id} disabled={disabled}>
            <button
              type="button"
              className="flex w-full justify-between gap-4 rounded-sm px-2 py-1 text-left data-disabled:text-quiet data-focus:bg-tint"
              onClick={run}
            >
              {words} {key && <Key>{keyWords(key)}</Key>}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
});
