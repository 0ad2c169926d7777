import { useQuery } from "@tanstack/react-query";
import type { Next, Trigger } from "../../api/client";
import { triggersQuery } from "../../api/queries";
import { Choice } from "../../ui/Choice";
import { cn } from "../../ui/styles";

/** What was found, each on or off, and what can be wished for. */
export function Chips(props: {
  chips: Next["chips"];
  toggle: (trigger: Trigger, on: boolean) => void;
  wish: (trigger: Trigger) => void;
}) {
  const { chips, toggle, wish } = props;
  const triggers = useQuery(triggersQuery());
  const there = new Set(chips.map((one) => one.trigger));
  const wishes = (triggers.data ?? []).filter(
    (one) => !there.has(one.trigger) && one.source !== "none",
  );
  return (
    <fieldset className="flex flex-wrap items-center gap-2" aria-label="What was found">
      {chips.map((chip) => (
        <button
          key={chip.trigger}
          type="button"
          aria-pressed={chip.on}
          title={chip.evidence}
          data-trigger={chip.trigger}
          className={cn(
            "max-w-80 truncate rounded-sm border px-2.5 py-1 text-left",
            chip.on ? "border-ink bg-sheet" : "border-dashed border-edge text-quiet",
          )}
          onClick={() => toggle(chip.trigger, !chip.on)}
        >
          {chip.source === "taste" && chip.measured ? chip.evidence : chip.words}
        </button>
      ))}
      {wishes.length > 0 && (
        <Choice
          label="Add a wish"
          value=""
          options={[
            { value: "", words: "Add a wish", button: "Add a wish" },
            ...wishes.map((one) => ({ value: one.trigger as string, words: one.words })),
          ]}
          onChange={(trigger) => trigger && wish(trigger as Trigger)}
        />
      )}
    </fieldset>
  );
}
