import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { answered, type Bench, type BenchChange, client } from "../api/client";
import { keepAnswer } from "../api/keepAnswer";
import {
  basketsQuery,
  benchQuery,
  coffeesQuery,
  grindersQuery,
  machinesQuery,
  preparationsQuery,
} from "../api/queries";
import { failureWords } from "../api/refusals";
import { useChangeBench } from "../api/useChangeBench";
import { Arrow } from "../ui/Arrow";
import { Button } from "../ui/Button";
import { plain } from "../ui/format";
import { Key } from "../ui/Key";
import { FieldError, NumberField, type Typed } from "../ui/NumberField";
import { Segments } from "../ui/Segments";
import {
  amountNumber,
  DEGREES,
  grams,
  millilitres,
  readUnit,
  temperature,
  useFieldScale,
  useUnits,
} from "../ui/units";
import { Word } from "../ui/Word";
import { controlWords } from "./kinds";
import { NewCoffee, NewGrinder } from "./NewOnShelf";
import { type RecipeField, RecipePanel } from "./RecipePanel";

/** The setup in one sentence; each underlined word opens in place. */
export function BenchLine() {
  const bench = useQuery(benchQuery());
  if (!bench.data) return <p className="text-quiet max-phone:min-h-17">Reading the bench</p>;
  if (bench.data.puck) return <SpentPuck puck={bench.data.puck} />;
  return <Sentence bench={bench.data} />;
}

/** The puck of one shot instead of the bench's words, and the way back to them. */
function SpentPuck({ puck }: { puck: NonNullable<Bench["puck"]> }) {
  const queryClient = useQueryClient();
  const back = useMutation({
    mutationFn: () => answered(client.DELETE("/api/bench/puck")),
    onSuccess: (now) => keepAnswer(queryClient, benchQuery().queryKey, now),
  });
  return (
    <p
      className="flex min-w-0 flex-wrap items-center gap-x-3 gap-y-1 text-lead leading-6 tabular-nums max-phone:text-[14px]"
      data-part="puck"
    >
      <span>
        <b className="text-warn">The very puck of shot {puck.shot_id}</b>: {grams(puck.dose_g)} on{" "}
        {puck.machine}. Forecasts are for it; a pull takes a fresh one.
      </span>
      <Button onClick={() => back.mutate()} disabled={back.isPending}>
        Back to the bench
      </Button>
      {back.error && <FieldError>{failureWords(back.error) ?? ""}</FieldError>}
    </p>
  );
}

function Sentence({ bench }: { bench: Bench }) {
  const { drink } = useUnits();
  const drinkWords =
    drink === "glass" ? `${millilitres(bench.glass_ml, 0)} in the glass` : grams(bench.yield_g);
  return (
    <p className="text-lead leading-[22px] min-w-0 py-1 px-0 tabular-nums [&_i]:my-0 [&_i]:mx-2 [&_i]:not-italic [&_i]:text-quiet max-phone:text-[14px]">
      <Word words={bench.coffee?.name ?? "Choose a coffee"} label="Coffee">
        {(close) => <CoffeeChoice bench={bench} close={close} />}
      </Word>
      {bench.coffee && <span>, {bench.coffee.freshness?.words ?? "roast date unknown"}</span>}
      <i>·</i>
      <RecipeWord bench={bench} field="dose_g" label="Dose" words={grams(bench.dose_g, 1)} />{" "}
      <Arrow /> <RecipeWord bench={bench} field="yield_g" label="Yield" words={drinkWords} />
      <span className="whitespace-nowrap">
        {" "}
        (
        <RecipeWord
          bench={bench}
          field="ratio"
          label="Ratio"
          words={`1 : ${bench.ratio.toFixed(1)}`}
        />
        )
      </span>
      {" in "}
      <Word words={bench.basket?.name ?? "a usual basket"} label="Basket">
        {(close) => <BasketChoice bench={bench} close={close} />}
      </Word>
      <i>·</i>
      {bench.grinder ? (
        <>
          grind{" "}
          <NumberWord
            bench={bench}
            name="grind_setting"
            label="Grind"
            unit={`on ${bench.grinder.name}`}
            step={bench.grinder.step ?? 0.1}
            words={bench.grind_setting === null ? "not set" : plain(bench.grind_setting)}
          />{" "}
          on{" "}
        </>
      ) : null}
      <Word words={bench.grinder?.name ?? "Choose a grinder"} label="Grinder">
        {(close) => <GrinderChoice bench={bench} close={close} />}
      </Word>
      <i>·</i>
      <Word words={machineWords(bench)} label="Machine">
        {(close) => <MachineChoice bench={bench} close={close} />}
      </Word>{" "}
      at{" "}
      <Word words={temperature(bench.water_c)} label="Water">
        {(close) => <WaterChange bench={bench} close={close} />}
      </Word>
    </p>
  );
}

function RecipeWord(props: { bench: Bench; field: RecipeField; label: string; words: string }) {
  const { bench, field, label, words } = props;
  return (
    <Word words={words} label={label}>
      {() => <RecipePanel bench={bench} field={field} />}
    </Word>
  );
}

/** The brewing water's temperature, in the unit this browser's user reads. */
function WaterChange({ bench, close }: { bench: Bench; close: () => void }) {
  const units = useUnits();
  return (
    <div className="space-y-2">
      <NumberChange
        name="water_c"
        label="Water"
        unit="°C"
        value={bench.water_c}
        step={0.5}
        close={close}
      />
      {bench.boiler_c !== null && (
        <p>That is {temperature(bench.boiler_c)} at the boiler, as calibrated.</p>
      )}
      <Segments
        label="Degrees"
        value={units.temperature}
        options={DEGREES}
        onChange={(chosen) => units.set({ temperature: chosen })}
      />
      <PortafilterChange bench={bench} />
    </div>
  );
}

const PORTAFILTERS = [
  { value: "65", words: "hot" },
  { value: "45", words: "warm" },
  { value: "25", words: "cold" },
] as const;

/** How warm the puck starts: what the portafilter gives it. */
function PortafilterChange({ bench }: { bench: Bench }) {
  const change = useChangeBench();
  return (
    <div className="flex items-center justify-between gap-2">
      <span>Portafilter</span>
      <Segments
        label="Portafilter"
        value={String(bench.puck_start_c) as (typeof PORTAFILTERS)[number]["value"]}
        options={PORTAFILTERS}
        onChange={(degrees) => change.mutate({ puck_start_c: Number(degrees) })}
      />
    </div>
  );
}

type Numbers = "grind_setting" | "water_c";

function NumberWord(props: {
  bench: Bench;
  name: Numbers;
  label: string;
  unit: string;
  step?: number;
  words: string;
}) {
  const { bench, name, label, unit, step = 0.1, words } = props;
  return (
    <Word words={words} label={label}>
      {(close) => <NumberChange value={bench[name]} {...{ name, label, unit, step, close }} />}
    </Word>
  );
}

function NumberChange(props: {
  value: number | null;
  name: Numbers;
  label: string;
  unit: string;
  step: number;
  close: () => void;
}) {
  const { name, label, unit, step, close } = props;
  const scale = useFieldScale(unit, step);
  const [value, setValue] = useState<Typed>(props.value);
  const change = useChangeBench();
  const set = (next: Typed) => {
    setValue(next);
    // The server says what is wrong with text that is no number, so it goes there as it is.
    if (next === null) return;
    change.mutate({ [name]: next } as BenchChange);
  };
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (!change.isError) close();
      }}
      className="space-y-2"
    >
      <div className="flex items-start gap-2">
        <span className="w-16 leading-7">{label}</span>
        <NumberField
          label={label}
          value={value}
          onChange={set}
          step={step}
          unit={unit}
          width={76}
          error={failureWords(change.error)}
          autoFocus
        />
        <span className="leading-7 text-quiet">{readUnit(unit)}</span>
      </div>
      <p className="text-[13px] text-quiet">
        <Key>Up</Key> <Key>Down</Key> by {scale.step}, with <Key>Shift</Key> by {scale.step * 10}
      </p>
    </form>
  );
}

interface ShelfChoice {
  id: number;
  name: string;
  hint: string;
}

function Choices(props: {
  items: ShelfChoice[] | undefined;
  current: number | undefined;
  choose: (id: number) => void;
  empty: string;
  /** Why the last choice was not taken. */
  error: string | undefined;
  children?: ReactNode;
}) {
  // All at once: a list that comes later would push what is below it from under the pointer.
  if (!props.items) return <p className="text-quiet">Reading the shelf</p>;
  return (
    <div>
      {props.error && <FieldError>{props.error}</FieldError>}
      {props.items.length === 0 && <p className="mb-2 text-quiet">{props.empty}</p>}
      <ul className="max-h-64 overflow-y-auto">
        {props.items.map((item) => (
          <li key={item.id}>
            <button
              type="button"
              aria-pressed={item.id === props.current}
              className="flex w-full items-baseline justify-between gap-3 rounded-sm px-2 py-1 text-left hover:bg-tint aria-pressed:font-semibold"
              onClick={() => props.choose(item.id)}
            >
              <span className="min-w-0 truncate">{item.name}</span>
              <span className="shrink-0 text-[13px] font-normal text-quiet">{item.hint}</span>
            </button>
          </li>
        ))}
      </ul>
      {props.children}
    </div>
  );
}

/** Put something else from the shelf on the bench. */
function useChoose(
  what: "coffee_id" | "grinder_id" | "machine_id" | "basket_id" | "preparation_id",
  close: () => void,
) {
  const change = useChangeBench();
  const choose = (id: number) => change.mutate({ [what]: id }, { onSuccess: close });
  return { choose, error: failureWords(change.error) };
}

function CoffeeChoice({ bench, close }: { bench: Bench; close: () => void }) {
  const coffees = useQuery(coffeesQuery());
  const { choose, error } = useChoose("coffee_id", close);
  return (
    <Choices
      items={coffees.data?.map((one) => ({
        id: one.id,
        name: one.name,
        hint: [
          one.roast,
          one.freshness?.words ?? "",
          one.bags[0]?.remaining_g == null ? "" : `${grams(one.bags[0].remaining_g, 0)} left`,
        ]
          .filter(Boolean)
          .join(", "),
      }))}
      current={bench.coffee?.id}
      choose={choose}
      error={error}
      empty="No coffee on the shelf yet."
    >
      <NewCoffee added={choose} />
    </Choices>
  );
}

function GrinderChoice({ bench, close }: { bench: Bench; close: () => void }) {
  const grinders = useQuery(grindersQuery());
  const { choose, error } = useChoose("grinder_id", close);
  return (
    <Choices
      items={grinders.data?.map((one) => ({
        id: one.id,
        name: one.name,
        hint: `${one.settings[0]} to ${one.settings.at(-1)}`,
      }))}
      current={bench.grinder?.id}
      choose={choose}
      error={error}
      empty="No grinder on the shelf yet."
    >
      <NewGrinder added={choose} />
    </Choices>
  );
}

function BasketChoice({ bench, close }: { bench: Bench; close: () => void }) {
  const baskets = useQuery(basketsQuery());
  const { choose, error } = useChoose("basket_id", close);
  return (
    <Choices
      items={baskets.data?.map((one) => ({
        id: one.id,
        name: one.name,
        hint: `${amountNumber(one.least_g, "g")} to ${grams(one.most_g)}`,
      }))}
      current={bench.basket?.id}
      choose={choose}
      error={error}
      empty="No basket on the shelf yet."
    >
      <PreparationChoice bench={bench} close={close} />
    </Choices>
  );
}

/** How the puck is prepared, where the house named ways of doing it. */
function PreparationChoice({ bench, close }: { bench: Bench; close: () => void }) {
  const preparations = useQuery(preparationsQuery());
  const { choose, error } = useChoose("preparation_id", close);
  if (!preparations.data?.length) return null;
  return (
    <section aria-label="Prepared" className="mt-2 border-t border-t-rule pt-2">
      <h3 className="px-2 text-small text-quiet font-normal">
        Prepared{bench.preparation === null && ": nobody said how"}
      </h3>
      <Choices
        items={preparations.data.map((one) => ({ id: one.id, name: one.name, hint: "" }))}
        current={bench.preparation?.id}
        choose={choose}
        error={error}
        empty=""
      />
    </section>
  );
}

function MachineChoice({ bench, close }: { bench: Bench; close: () => void }) {
  const machines = useQuery(machinesQuery());
  const { choose, error } = useChoose("machine_id", close);
  return (
    <Choices
      items={machines.data?.map((one) => ({
        id: one.id,
        name: one.name,
        hint: controlWords(one.control.kind),
      }))}
      current={bench.machine.id}
      choose={choose}
      error={error}
      empty="No machine on the shelf yet."
    >
      <ModeChoice bench={bench} close={close} />
    </Choices>
  );
}

const machineWords = ({ machine, machine_mode }: Bench) =>
  machine_mode === null ? machine.name : `${machine.name}, ${machine_mode}`;

/** Which of its modes the machine is set to, where it has several. */
function ModeChoice({ bench, close }: { bench: Bench; close: () => void }) {
  const change = useChangeBench();
  if (bench.modes.length === 0) return null;
  return (
    <section aria-label="Mode" className="mt-2 border-t border-t-rule pt-2">
      <h3 className="px-2 text-small text-quiet font-normal">{bench.machine.name} is set to</h3>
      <Choices
        items={bench.modes.map((name, id) => ({ id, name, hint: "" }))}
        current={bench.modes.indexOf(bench.machine_mode ?? "")}
        choose={(id) => change.mutate({ machine_mode: bench.modes[id] }, { onSuccess: close })}
        error={failureWords(change.error)}
        empty=""
      />
    </section>
  );
}
