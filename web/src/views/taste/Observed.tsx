import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, answered, client, type Observation, type Shot } from "../../api/client";
import { shotsQuery } from "../../api/queries";
import { refusalWords } from "../../api/refusals";
import { Choice } from "../../ui/Choice";
import { NumberField, type Typed } from "../../ui/NumberField";
import { Tick } from "../../ui/Tick";

const BLANK: Observation = {
  crema_mm: null,
  crema_colour: null,
  crema_s: null,
  puck_whole: null,
  puck_wet: null,
  puck_holes: null,
  puck_cracks: null,
};
const COLOURS = ["", "pale", "golden", "hazel", "dark", "mottled"] as const;
const PUCK = [
  { field: "puck_whole", words: "came out whole" },
  { field: "puck_wet", words: "wet on top" },
  { field: "puck_holes", words: "holes" },
  { field: "puck_cracks", words: "cracks" },
] as const;

/** What crema and puck looked like, apart from liking; all of it may be left out. */
export function Observed({ shot }: { shot: Shot }) {
  // What is typed stays until it is stored, whatever it is: the server says what is wrong with it.
  const [typed, setTyped] = useState<Record<string, Typed | boolean>>({});
  const queryClient = useQueryClient();
  const save = useMutation({
    scope: { id: `observed-${shot.id}` },
    mutationFn: (seen: Observation) =>
      answered(
        client.PUT("/api/shots/{shot_id}/observation", {
          params: { path: { shot_id: shot.id } },
          body: seen,
        }),
      ),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey }),
  });
  const seen = { ...BLANK, ...shot.observation, ...typed } as Observation;
  const tell = (part: Record<string, Typed | boolean>) => {
    setTyped((old) => ({ ...old, ...part }));
    save.mutate({ ...seen, ...part } as Observation);
  };
  const wrong = (field: string) => {
    const problems = save.error instanceof ApiError ? save.error.problems : [];
    const found = problems.find((one) => one.field === field);
    return found && refusalWords(found);
  };
  const number = (field: "crema_mm" | "crema_s", label: string, step: number) => (
    <NumberField
      label={label}
      value={seen[field] ?? null}
      step={step}
      width={48}
      placeholder="–"
      onChange={(value) => tell({ [field]: value })}
      error={wrong(field)}
    />
  );
  return (
    <details className="pt-3" open={shot.observation !== null}>
      <summary className="cursor-pointer font-semibold">Crema and puck</summary>
      <p className="mt-1 flex flex-wrap items-start gap-1.5 leading-7">
        Crema {number("crema_mm", "Depth of the crema", 0.5)} mm
        <Choice
          label="Colour of the crema"
          value={seen.crema_colour ?? ""}
          options={COLOURS.map((one) => ({ value: one, words: one || "colour" }))}
          onChange={(colour) => tell({ crema_colour: colour || null })}
        />
        stays {number("crema_s", "How long the crema stays", 10)} s
      </p>
      <div className="grid grid-cols-2">
        {PUCK.map(({ field, words }) => (
          <Tick
            key={field}
            on={seen[field] === true}
            words={words}
            change={(on) => tell({ [field]: on })}
          />
        ))}
      </div>
      <p className="text-small text-quiet">Kept with the shot; none of it is quality by itself.</p>
    </details>
  );
}
