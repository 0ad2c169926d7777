import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { memo, useState } from "react";
import type { Bench, Want } from "../../api/client";
import { failureWords } from "../../api/refusals";
import { useChangeBench } from "../../api/useChangeBench";
import { RELATIONS, type Relation, WANTABLE, wantParts, wantWords } from "../../profile/figures";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { readUnit } from "../../ui/units";
import { useDrawer } from "./drawers";

/** What is wanted of one figure, opening in place; kept on the bench for every profile. */
export const GoalWord = memo(function GoalWord(props: {
  bench: Bench;
  figure: Want["figure"];
  instead?: string;
}) {
  const { bench, figure, instead } = props;
  const want = bench.goals.find((one) => one.figure === figure);
  const name = WANTABLE.find((one) => one.value === figure)?.words ?? figure;
  const said = want ? wantWords(want) : instead || "no goal";
  return (
    <Popover as="span" className="relative">
      <PopoverButton
        className="[text-decoration:underline_dotted_1px] underline-offset-[3px] whitespace-nowrap hover:text-action"
        aria-label={`Goal for ${name}: ${said}`}
      >
        {said}
      </PopoverButton>
      <PopoverPanel
        focus
        anchor={{ to: "bottom start", gap: 6, padding: 12 }}
        className={cn(styles.panel, "z-40 w-72 p-3")}
      >
        {({ close }) => <GoalForm {...{ bench, figure, name, want }} close={() => close()} />}
      </PopoverPanel>
    </Popover>
  );
});

function GoalForm(props: {
  bench: Bench;
  figure: Want["figure"];
  name: string;
  want: Want | undefined;
  close: () => void;
}) {
  const { bench, figure, name, want, close } = props;
  const parts = want && wantParts(want);
  const [relation, setRelation] = useState<Relation>(parts?.relation ?? "at");
  const [value, setValue] = useState<Typed>(parts?.value ?? null);
  const change = useChangeBench();
  const show = useDrawer((state) => state.show);
  const unit = WANTABLE.find((one) => one.value === figure);
  const others = bench.goals.filter((one) => one.figure !== figure);
  return (
    <form
      className="space-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (value === null) return;
        const goal = { figure, [relation]: value } as Want;
        change.mutate({ goals: [...others, goal] }, { onSuccess: close });
      }}
    >
      <h3 className="first-letter:uppercase">{name}</h3>
      <div className="flex items-start gap-2">
        <Choice label="Relation" value={relation} options={RELATIONS} onChange={setRelation} />
        <NumberField
          label={`Goal for ${name}`}
          value={value}
          step={unit?.step ?? 0.1}
          unit={unit?.unit}
          onChange={setValue}
          autoFocus
        />
        <span className="leading-7 text-quiet">{readUnit(unit?.unit ?? "")}</span>
      </div>
      {change.error && <FieldError>{failureWords(change.error) ?? ""}</FieldError>}
      <div className="flex flex-wrap gap-2">
        <Button type="submit" disabled={value === null}>
          Set the goal
        </Button>
        {want && (
          <>
            <Button onClick={() => change.mutate({ goals: others }, { onSuccess: close })}>
              No goal
            </Button>
            <Button
              onClick={() => {
                show("goal");
                close();
              }}
            >
              Reach it
            </Button>
          </>
        )}
      </div>
    </form>
  );
}
