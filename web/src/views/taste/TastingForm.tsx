import { Radio, RadioGroup, Tab, TabGroup, TabList } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Form, Shot, Tasting } from "../../api/client";
import { houseLinesQuery } from "../../api/house";
import { formQuery } from "../../api/queries";
import { HouseLines } from "../../house/HouseLines";
import { Drop } from "../../ui/Drop";
import { ErrorNote } from "../../ui/Messages";
import { cn, styles } from "../../ui/styles";
import { WordTags } from "../../ui/WordTags";
import { saysNothing, useTasting } from "./useTasting";

const SCALE =
  "grid grid-cols-[76px_76px_auto_1fr] items-center gap-x-2.5 py-0.75 px-0 max-phone:grid-cols-[1fr_1fr]";

const WARMTHS = [
  { value: "hot", words: "Hot" },
  { value: "warm", words: "Warm" },
  { value: "cool", words: "Cool" },
] as const;
const SERVED = [
  { value: "straight", words: "Straight" },
  { value: "milk", words: "In milk" },
] as const;

/** The short form: which cup, the house's scales, words and notes. */
export function TastingForm({ shot }: { shot: Shot }) {
  const form = useQuery(formQuery());
  return form.data ? <OpenForm shot={shot} form={form.data} /> : null;
}

function OpenForm({ shot, form }: { shot: Shot; form: Pick<Form, "prompts" | "fresh_s"> }) {
  const age = useAge(shot, form.fresh_s);
  // A fresh cup is at the last warmth that its age has reached; an old one begins as hot.
  const [warmth, setWarmth] = useState(() =>
    Math.max(
      0,
      form.prompts.findLastIndex((one) => one.from_s <= (age ?? 0)),
    ),
  );
  const [served, setServed] = useState(0);
  const cup = {
    warmth: WARMTHS[warmth]?.value ?? "hot",
    served: SERVED[served]?.value ?? "straight",
  };
  return (
    <>
      <div className="my-3 flex flex-wrap gap-3">
        <Segments label="Warmth" options={WARMTHS} index={warmth} onChange={setWarmth} />
        <Segments label="Served" options={SERVED} index={served} onChange={setServed} />
        <Drop words="Lines">{() => <HouseLines />}</Drop>
      </div>
      {age !== null && (
        <p className="mb-2 text-quiet" data-part="age">
          {ageWords(age, form.prompts)}
        </p>
      )}
      <Cup key={`${cup.warmth}-${cup.served}`} shot={shot} {...cup} />
    </>
  );
}

/** The cup's age in s, counting up while it is fresh; null where the stop is not known. */
function useAge(shot: Shot, fresh_s: number) {
  const stopped =
    shot.shot_time_s === null || shot.origin !== "pulled"
      ? null
      : Date.parse(shot.started_at) / 1000 + shot.shot_time_s;
  const [now, setNow] = useState(() => Date.now() / 1000);
  const fresh = stopped !== null && now - stopped < fresh_s;
  useEffect(() => {
    if (!fresh) return;
    const timer = setInterval(() => setNow(Date.now() / 1000), 1000);
    return () => clearInterval(timer);
  }, [fresh]);
  return fresh ? Math.max(0, now - stopped) : null;
}

function ageWords(age: number, prompts: Form["prompts"]) {
  const clock = (s: number) =>
    `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, "0")}`;
  const next = prompts.find((one) => one.due_s > age);
  const later = next ? `; taste it ${next.warmth} in ${clock(next.due_s - age)}` : "";
  return `The cup is ${clock(age)} old${later}.`;
}

function Segments(props: {
  label: string;
  options: readonly { value: string; words: string }[];
  index: number;
  onChange: (index: number) => void;
}) {
  return (
    <TabGroup selectedIndex={props.index} onChange={props.onChange}>
      <TabList className={styles.segments} data-ui="segments" aria-label={props.label}>
        {props.options.map((one) => (
          <Tab key={one.value}>{one.words}</Tab>
        ))}
      </TabList>
    </TabGroup>
  );
}

function Cup({ shot, warmth, served }: { shot: Shot } & Pick<Tasting, "warmth" | "served">) {
  const form = useQuery(formQuery());
  const house = useQuery(houseLinesQuery());
  const { tasting, say, save, waiting } = useTasting(shot, warmth, served);
  if (!form.data || !house.data) return null;
  const lines: string[] = house.data.lines;
  // What was scored on a line that the house no longer scores still shows.
  const shown = form.data.attributes.filter(
    ({ field }) => lines.includes(field) || tasting[field as "liking"] != null,
  );
  return (
    <div className="grid gap-1">
      {shown.map((attribute) => (
        <Scale
          key={attribute.field}
          attribute={attribute}
          lowest={form.data.lowest}
          highest={form.data.highest}
          value={tasting[attribute.field as "liking"] ?? null}
          onChange={(score) => say({ [attribute.field]: score })}
        />
      ))}
      <WordTags
        folded
        words={tasting.words}
        listed={form.data.words}
        change={(words) => say({ words })}
      />
      <label className="mt-2 block">
        Notes
        <textarea
          className={cn(styles.textField, "block h-20 w-full max-w-[640px] py-1 leading-[18px]")}
          data-ui="field"
          value={tasting.notes}
          maxLength={4000}
          onChange={(event) => say({ notes: event.target.value })}
        />
      </label>
      {save.error ? (
        <ErrorNote
          error={new Error(`Not saved yet, but kept in this browser. ${save.error.message}`)}
        />
      ) : (
        <p role="status" className="text-quiet">
          {save.failureReason
            ? "Kept in this browser until Vapocline answers again."
            : waiting
              ? "Saving"
              : saysNothing(tasting)
                ? "A score left out stays unknown. Digits set a score, End a ten, Backspace takes it back."
                : "Saved"}
        </p>
      )}
    </div>
  );
}

/** One attribute on its scale: arrows or digits set it, Backspace takes it back. */
function Scale(props: {
  attribute: Form["attributes"][number];
  lowest: number;
  highest: number;
  value: number | null;
  onChange: (score: number | null) => void;
}) {
  const { attribute, lowest, highest, value, onChange } = props;
  const scores = Array.from({ length: highest - lowest + 1 }, (_, i) => lowest + i);
  const byKey = (event: React.KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const digit = /^\d$/.test(event.key)
      ? Number(event.key)
      : { Home: lowest, End: highest }[event.key];
    if (digit !== undefined) onChange(digit);
    else if (event.key === "Backspace" || event.key === "Delete") onChange(null);
    else return;
    // The focus goes with the score, so that Tab leads on to the next scale.
    const radios = event.currentTarget.querySelectorAll<HTMLElement>("[role=radio]");
    radios[(digit ?? lowest) - lowest]?.focus();
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <RadioGroup
      value={value}
      onChange={onChange}
      onKeyDownCapture={byKey}
      aria-label={attribute.name}
      className={cn(SCALE, attribute.field === "liking" && "mt-1 border-t border-t-rule pt-2.5")}
    >
      <span className="font-medium max-phone:col-[1/3]">{attribute.name}</span>
      <span className="text-small text-quiet text-right max-phone:row-start-3 max-phone:text-left">
        {attribute.low}
      </span>
      <span className="flex border border-edge rounded-sm bg-sheet overflow-hidden max-phone:col-[1/3] max-phone:row-start-2">
        {scores.map((score) => (
          <Radio
            key={score}
            value={score}
            className="flex items-center justify-center w-7.5 h-7.5 cursor-pointer font-medium text-[14px] leading-[1] font-mono hover:bg-tint data-checked:bg-action data-checked:text-on-action data-focus:[outline:2px_solid_var(--action)] data-focus:outline-offset-[-3px] data-focus:data-checked:[outline-color:var(--on-action)] max-phone:flex-1 max-phone:w-auto max-phone:h-9.5 not-first:border-l not-first:border-l-rule"
            aria-label={String(score)}
          >
            {score}
          </Radio>
        ))}
      </span>
      <span className="text-small text-quiet max-phone:row-start-3 max-phone:text-right">
        {attribute.high}
      </span>
    </RadioGroup>
  );
}
