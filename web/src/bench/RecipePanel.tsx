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
import { type DrinkUnit, useUnits } from "../ui/units";

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
const DRINK_UNITS: readonly { value: DrinkUnit; words: string }[] = [
  { value: "g", words: "g, weighed" },
  { value: "mL", words: "mL in a glass" },
];

/** Dose, ratio and yield, any two of which give the third; and what the glass would say. */
export function RecipePanel({ bench, field }: { bench: Bench; field: RecipeField }) {
  const change = useChangeBench();
  const [typed, setTyped] = useState<Record<string, Typed>>({});
  const { drink, setDrink } = useUnits();
  const perGram = 1 + bench.crema_ml_per_g;
  const glass = drink === "mL";
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

  const numberField = (name: Name, label: string, step: number) => (
    <NumberField
      label={label}
      value={name in typed ? (typed[name] ?? null) : shown[name]}
      step={step}
      width={70}
      onChange={(value) => set(name, value)}
      error={name in typed ? failureWords(change.error) : undefined}
      autoFocus={name === field}
    />
  );
  return (
    <div className="grid gap-2">
      <Line name="Dose" unit="g">
        {numberField("dose_g", "Dose", 0.1)}
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
      <Line name="Yield" unit={glass ? "mL" : "g"}>
        {numberField("yield_g", "Yield", glass ? 1 : 0.5)}
      </Line>
      <Line name="What follows" unit="">
        <Choice
          label="Follows"
          value={bench.follows}
          options={FOLLOWS}
          onChange={(follows) => change.mutate({ follows })}
        />
      </Line>
      <Line name="Dose within" unit="g either way">
        {numberField("dose_tolerance_g", "Dose tolerance", 0.1)}
      </Line>
      <Segments label="Drink in" value={drink} options={DRINK_UNITS} onChange={setDrink} />
      <p>
        {bench.yield_g.toFixed(1)} g would stand at <b>{bench.glass_ml.toFixed(0)} mL</b> in a
        marked glass: this coffee's crema adds {bench.crema_ml_per_g.toFixed(2)} mL a gram, and
        fresher coffee more. Weigh it: the mark moves with the foam.
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
      {within.profile_name}: {(bench.dose_g - bench.dose_tolerance_g).toFixed(1)} to{" "}
      {(bench.dose_g + bench.dose_tolerance_g).toFixed(1)} g takes {within.shortest_s.toFixed(1)} to{" "}
      {within.longest_s.toFixed(1)} s
      {within.stop_at_g != null && `; stop at ${within.stop_at_g.toFixed(1)} g for the yield`}.
    </p>
  );
}
