import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Bench, BenchChange } from "../api/client";
import { recipeQuery } from "../api/queries";
import { failureWords } from "../api/refusals";
import { useChangeBench } from "../api/useChangeBench";
import { plannedHere } from "../profile/lastPlanned";
import { Choice } from "../ui/Choice";
import { FieldError, NumberField, type Typed } from "../ui/NumberField";
import { Segments } from "../ui/Segments";
import {
  amountNumber,
  DRINK_MEASURES,
  grams,
  millilitres,
  readUnit,
  useUnits,
  VOLUMES,
  WEIGHTS,
} from "../ui/units";

export type RecipeField = "dose_g" | "ratio" | "yield_g";

const FOLLOWS = [
  { value: "yield_g", words: "yield" },
  { value: "ratio", words: "ratio" },
  { value: "dose_g", words: "dose" },
] as const;
const MEASURED = [
  { value: "weighed", words: "weighed" },
  { value: "levelled", words: "levelled" },
] as const;

/** Dose, ratio and yield, any two of which give the third; and what the glass would say. */
export function RecipePanel({ bench, field }: { bench: Bench; field: RecipeField }) {
  const change = useChangeBench();
  const [typed, setTyped] = useState<Record<string, Typed>>({});
  const units = useUnits();
  const perGram = 1 + bench.crema_ml_per_g;
  const glass = units.drink === "glass";
  const shown = {
    dose_g: bench.dose_g,
    ratio: Number(bench.ratio.toFixed(2)),
    yield_g: glass ? Number((bench.yield_g * perGram).toFixed(1)) : bench.yield_g,
    dose_tolerance_g: bench.dose_tolerance_g,
  };
  type Name = keyof typeof shown;

  function set(name: Name, value: Typed) {
    setTyped({ [name]: value });
    if (value === null) return;
    const taken =
      name === "yield_g" && glass && typeof value === "number" ? value / perGram : value;
    const rounded = typeof taken === "number" ? Number(taken.toFixed(3)) : taken;
    change.mutate({ [name]: rounded } as BenchChange, {
      onSuccess: () => setTyped((old) => (old[name] === value ? {} : old)),
    });
  }

  const numberField = (name: Name, label: string, step: number, unit = "") => (
    <NumberField
      label={label}
      value={name in typed ? (typed[name] ?? null) : shown[name]}
      step={step}
      unit={unit}
      width={70}
      onChange={(value) => set(name, value)}
      error={name in typed ? failureWords(change.error) : undefined}
      autoFocus={name === field}
    />
  );
  return (
    <div className="grid gap-2">
      <Line name="Dose" unit={readUnit("g")}>
        {numberField("dose_g", "Dose", 0.1, "g")}
      </Line>
      <Line name="Dose is" unit="">
        <Segments
          label="The dose is"
          value={bench.levelled ? "levelled" : "weighed"}
          options={MEASURED}
          onChange={(how) => change.mutate({ levelled: how === "levelled" })}
        />
      </Line>
      <Line name="Ratio, 1 to" unit="">
        {numberField("ratio", "Ratio", 0.1)}
      </Line>
      <Line name="Yield" unit={readUnit(glass ? "mL" : "g")}>
        {numberField("yield_g", "Yield", glass ? 1 : 0.5, glass ? "mL" : "g")}
      </Line>
      <Line name="What follows" unit="">
        <Choice
          label="Follows"
          value={bench.follows}
          options={FOLLOWS}
          onChange={(follows) => change.mutate({ follows })}
        />
      </Line>
      <Line name="Dose within" unit={`${readUnit("g")} either way`}>
        {numberField("dose_tolerance_g", "Dose tolerance", 0.1, "g")}
      </Line>
      <Segments
        label="The drink"
        value={units.drink}
        options={DRINK_MEASURES}
        onChange={(drink) => units.set({ drink })}
      />
      <span className="flex flex-wrap gap-2">
        <Segments
          label="Weights in"
          value={units.weight}
          options={WEIGHTS}
          onChange={(weight) => units.set({ weight })}
        />
        <Segments
          label="Volumes in"
          value={units.volume}
          options={VOLUMES}
          onChange={(volume) => units.set({ volume })}
        />
      </span>
      <p>
        {grams(bench.yield_g, 1)} would stand at <b>{millilitres(bench.glass_ml, 0)}</b> in a marked
        glass: this coffee's crema adds {bench.crema_ml_per_g.toFixed(2)} mL a gram, and fresher
        coffee more. Weigh it: the mark moves with the foam.
      </p>
      <Tolerance bench={bench} />
      {change.error && Object.keys(typed).length === 0 && (
        <FieldError>{failureWords(change.error) ?? ""}</FieldError>
      )}
    </div>
  );
}

function Line(props: { name: string; unit: string; children: React.ReactNode }) {
  return (
    <div className="flex items-start gap-2">
      <span className="w-24 leading-7">{props.name}</span>
      {props.children}
      <span className="leading-7 text-quiet">{props.unit}</span>
    </div>
  );
}

/** What the tolerance means for the profile looked at last, from the model. */
function Tolerance({ bench }: { bench: Bench }) {
  const last = plannedHere();
  const found = useQuery({ ...recipeQuery(last, JSON.stringify(bench)), enabled: last > 0 });
  const within = found.data;
  if (!within) return null;
  return (
    <p className="text-quiet" role="status">
      {within.profile_name}: {amountNumber(bench.dose_g - bench.dose_tolerance_g, "g", 1)} to{" "}
      {grams(bench.dose_g + bench.dose_tolerance_g, 1)} takes {within.shortest_s.toFixed(1)} to{" "}
      {within.longest_s.toFixed(1)} s
      {within.stop_at_g != null && `; stop at ${grams(within.stop_at_g, 1)} for the yield`}.
    </p>
  );
}
