import type { ReactNode } from "react";
import { Button } from "../../ui/Button";
import { FieldError } from "../../ui/NumberField";
import { Segments } from "../../ui/Segments";
import { styles } from "../../ui/styles";
import { grams, readUnit } from "../../ui/units";
import type { Answering } from "./answering";
import { CupDrawing, HAND_DRAWINGS, RoastDrawing } from "./drawings";
import { AnswerName, AnswerNumber, AnswerText } from "./fields";
import { RadioCards } from "./RadioCards";

type Hand = keyof typeof HAND_DRAWINGS;

const HANDS: readonly { value: Hand; words: string }[] = [
  { value: "pressure", words: "a pressure" },
  { value: "flow", words: "a flow" },
  { value: "both", words: "both" },
  { value: "valve", words: "a valve" },
  { value: "spring-lever", words: "a lever with springs" },
  { value: "hand-lever", words: "a lever, no springs" },
  { value: "stages", words: "preset stages" },
  { value: "switch", words: "only on and off" },
];
const FEEDS = [
  { value: "tank", words: "a tank" },
  { value: "plumbed", words: "the mains" },
] as const;
const WIRES = [
  { value: "hand", words: "by hand" },
  { value: "wire", words: "over a wire" },
] as const;
const GAUGES = [
  { value: "yes", words: "a pressure gauge" },
  { value: "no", words: "no gauge" },
] as const;

function Line({ children }: { children: ReactNode }) {
  return <div className={`${styles.row} items-center!`}>{children}</div>;
}

/** The machine, by what a hand can set while a shot runs. */
export function MachineEditor({ of }: { of: Answering }) {
  const hand = of.answer.hand as Hand;
  const wired = of.answer.wired !== false;
  const problem = of.error("hand");
  return (
    <>
      <p>While a shot runs you set</p>
      <div>
        <RadioCards
          legend="While a shot runs you set"
          autoFocus
          stacked
          value={hand}
          options={HANDS.map((one) => ({ ...one, drawing: HAND_DRAWINGS[one.value] }))}
          onChange={(value) => {
            const { name, feed, wired, gauge, address } = of.answer;
            const blank = Object.fromEntries(Object.keys(of.answer).map((key) => [key, null]));
            of.set({ ...blank, name, feed, wired, gauge, address, hand: value });
          }}
        />
      </div>
      {problem && <FieldError>{problem}</FieldError>}
      <Line>
        <OfKind of={of} hand={hand} />
        <span>and it is called</span>
        <AnswerName of={of} label="Name of the machine" usual="my machine" />
      </Line>
      <Line>
        <span>Water from</span>
        <Segments
          label="Water from"
          value={(of.answer.feed as "tank" | "plumbed" | undefined) ?? "tank"}
          options={FEEDS}
          onChange={(feed) => of.set({ feed })}
        />
        <span>with</span>
        <Segments
          label="Gauge"
          value={of.answer.gauge === false ? "no" : "yes"}
          options={GAUGES}
          onChange={(gauge) => of.set({ gauge: gauge === "yes" })}
        />
        <span>pulled</span>
        <Segments
          label="Pulled"
          value={wired ? "wire" : "hand"}
          options={WIRES}
          onChange={(way) => of.set({ wired: way === "wire" })}
        />
        {wired && (
          <>
            <span>at</span>
            <AnswerText
              of={of}
              field="address"
              label="Address"
              placeholder="host:port"
              width="w-36"
            />
          </>
        )}
      </Line>
      {wired && !of.answer.address && (
        <p className="text-quiet">Without an address a simulated machine stands in.</p>
      )}
    </>
  );
}

const HOLDS = [
  { value: "pressure", words: "pressure" },
  { value: "flow", words: "flow" },
] as const;
const SPRINGS = [
  { value: "1", words: "one spring" },
  { value: "2", words: "two springs" },
] as const;

/** Only what this kind needs, each with its usual value. */
function OfKind({ of, hand }: { of: Answering; hand: Hand }) {
  switch (hand) {
    case "spring-lever":
      return (
        <>
          <Segments
            label="Springs"
            value={of.answer.springs === 2 ? "2" : "1"}
            options={SPRINGS}
            onChange={(springs) => of.set({ springs: Number(springs) })}
          />
          <span>from</span>
          <AnswerNumber of={of} field="top_bar" label="Pressure at the top" usual={8.5} />
          <span>to</span>
          <AnswerNumber of={of} field="end_bar" label="Pressure at the end" usual={4} />
          <span>bar, over</span>
          <AnswerNumber of={of} field="stroke_ml" label="Stroke" usual={60} step={1} unit="mL" />
          <span>{readUnit("mL")}</span>
        </>
      );
    case "hand-lever":
      return (
        <>
          <span>each kg at the handle gives</span>
          <AnswerNumber
            of={of}
            field="bar_per_kg"
            label="Pressure for a kg"
            usual={0.4}
            step={0.05}
          />
          <span>bar, over</span>
          <AnswerNumber of={of} field="stroke_ml" label="Stroke" usual={60} step={1} unit="mL" />
          <span>{readUnit("mL")}</span>
        </>
      );
    case "stages":
      return (
        <>
          <span>up to</span>
          <AnswerNumber of={of} field="stages" label="Stages" usual={3} step={1} />
          <span>stages, each of one</span>
          <Segments
            label="Of what"
            value={of.answer.holds === "flow" ? "flow" : "pressure"}
            options={HOLDS}
            onChange={(holds) => of.set({ holds })}
          />
          <Relief of={of} />
        </>
      );
    case "switch":
    case "valve":
      return (
        <>
          <span>the pump presses with</span>
          <AnswerNumber of={of} field="pump_bar" label="Pump pressure" usual={9} step={0.5} />
          <span>bar</span>
          <Relief of={of} />
        </>
      );
    default:
      return <Relief of={of} />;
  }
}

function Relief({ of }: { of: Answering }) {
  return (
    <>
      <span>relief valve at</span>
      <AnswerNumber of={of} field="relief_bar" label="Relief valve" usual={11} step={0.5} />
      <span>bar</span>
    </>
  );
}

const WAYS = [
  { value: "coarser", words: "coarser" },
  { value: "finer", words: "finer" },
] as const;
const STEPS = [
  { value: "no", words: "stepless" },
  { value: "yes", words: "whole steps" },
] as const;

/** The grinder, by its dial. */
export function GrinderEditor({ of }: { of: Answering }) {
  return (
    <>
      <Line>
        <span>A bigger number is</span>
        <RadioCards
          legend="A bigger number is"
          autoFocus
          value={of.answer.bigger_is as "coarser" | "finer"}
          options={WAYS}
          onChange={(bigger_is) => of.set({ bigger_is })}
        />
        <span>; the dial goes from</span>
        <AnswerNumber of={of} field="lowest" label="Lowest number" step={1} />
        <span>to</span>
        <AnswerNumber of={of} field="highest" label="Highest number" step={1} />
      </Line>
      <Line>
        <span>and espresso usually lies near</span>
        <AnswerNumber of={of} field="espresso" label="Espresso near" step={1} />
        <Segments
          label="Steps"
          value={of.answer.stepped === true ? "yes" : "no"}
          options={STEPS}
          onChange={(stepped) => of.set({ stepped: stepped === "yes" })}
        />
        <span>called</span>
        <AnswerName of={of} label="Name of the grinder" usual="my grinder" />
      </Line>
    </>
  );
}

const ROASTS = ["light", "medium-light", "medium", "medium-dark", "dark"] as const;
const MADE_OF = [
  { value: "no", words: "single" },
  { value: "yes", words: "blend" },
] as const;

/** What is in the hopper. */
export function CoffeeEditor({ of, rested }: { of: Answering; rested: number | null | undefined }) {
  const roast = of.answer.roast as (typeof ROASTS)[number];
  const dated = Boolean(of.answer.roasted_on);
  return (
    <>
      <Line>
        <span>A</span>
        <RadioCards
          legend="Roast"
          autoFocus
          value={roast}
          options={ROASTS.map((value, i) => ({
            value,
            words: value,
            drawing: <RoastDrawing step={i} />,
          }))}
          onChange={(value) => of.set({ roast: value })}
        />
        <span>roast called</span>
        <AnswerName of={of} label="Name of the coffee" usual={`a ${roast} coffee`} />
      </Line>
      <Line>
        <span>roasted on</span>
        <AnswerText of={of} field="roasted_on" label="Roasted on" type="date" width="w-40" />
        {dated ? (
          <>
            <span className="text-quiet">
              {rested == null ? "" : rested === 1 ? "1 day ago" : `${rested} days ago`}
            </span>
            <Button onClick={() => of.set({ roasted_on: null })}>I do not know when</Button>
          </>
        ) : (
          <span className="text-quiet">not known: taken as 12 days ago, with a wider range</span>
        )}
        <Segments
          label="Made of"
          value={of.answer.blend === true ? "yes" : "no"}
          options={MADE_OF}
          onChange={(blend) => of.set({ blend: blend === "yes" })}
        />
        <span>a bag of</span>
        <AnswerNumber of={of} field="bag_g" label="Bag" step={10} unit="g" />
        <span>{readUnit("g")}</span>
      </Line>
    </>
  );
}

const MEASURED = [
  { value: "weighed", words: "weighed" },
  { value: "levelled", words: "levelled" },
] as const;
const DIAMETERS = [
  { value: "58.5", words: "58 mm" },
  { value: "54", words: "54 mm" },
  { value: "51", words: "51 mm" },
] as const;

/** The basket, and what goes into it. */
export function BasketEditor({ of }: { of: Answering }) {
  return (
    <>
      <Line>
        <span>A basket of</span>
        <RadioCards
          legend="Diameter"
          autoFocus
          value={String(of.answer.diameter_mm ?? 58.5) as (typeof DIAMETERS)[number]["value"]}
          options={DIAMETERS}
          onChange={(mm) => of.set({ diameter_mm: Number(mm) })}
        />
        <span>or</span>
        <AnswerNumber of={of} field="diameter_mm" label="Diameter" usual={58.5} step={0.5} />
        <span>mm</span>
      </Line>
      <Line>
        <span>with</span>
        <AnswerNumber of={of} field="dose_g" label="Dose" usual={18} unit="g" />
        <span>{readUnit("g")} of coffee, or the dose the basket is made for,</span>
        <Segments
          label="The dose is"
          value={of.answer.weighed === false ? "levelled" : "weighed"}
          options={MEASURED}
          onChange={(how) => of.set({ weighed: how === "weighed" })}
        />
      </Line>
    </>
  );
}

const CUPS = [
  { value: "1.5", words: "short, 1 : 1.5" },
  { value: "2", words: "usual, 1 : 2" },
  { value: "2.7", words: "long, 1 : 2.7" },
] as const;
const SERVED = [
  { value: "straight", words: "straight" },
  { value: "milk", words: "in milk" },
] as const;

/** The drink. */
export function DrinkEditor({ of, yield_g }: { of: Answering; yield_g: number | undefined }) {
  return (
    <>
      <Line>
        <span>A</span>
        <RadioCards
          legend="Drink"
          autoFocus
          value={String(of.answer.ratio ?? 2) as (typeof CUPS)[number]["value"]}
          options={CUPS.map((one) => ({
            ...one,
            drawing: <CupDrawing ratio={Number(one.value)} />,
          }))}
          onChange={(ratio) => of.set({ ratio: Number(ratio) })}
        />
        <span>or 1 :</span>
        <AnswerNumber of={of} field="ratio" label="Ratio" usual={2} />
        {yield_g !== undefined && (
          <span className="text-quiet">{grams(yield_g, 0)} in the cup</span>
        )}
      </Line>
      <Line>
        <span>drunk</span>
        <Segments
          label="Drunk"
          value={of.answer.milk === true ? "milk" : "straight"}
          options={SERVED}
          onChange={(served) => of.set({ milk: served === "milk" })}
        />
        <span className="text-quiet">The water's temperature follows the roast.</span>
      </Line>
    </>
  );
}
