import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client, type Shot, type ShotLine } from "../api/client";
import { shotsQuery } from "../api/queries";
import { failureWords } from "../api/refusals";
import { NumberField, type Typed } from "../ui/NumberField";

/** A measured strength, from which the extraction follows; left out it stays unknown. */
export function Strength({ shot }: { shot: Shot }) {
  return (
    <Measured
      words="Strength, if measured"
      label="Measured strength"
      unit="%"
      start={shot.tds_pct}
      note={(tds_pct) =>
        answered(
          client.PUT("/api/shots/{shot_id}/strength", {
            params: { path: { shot_id: shot.id } },
            body: { tds_pct },
          }),
        )
      }
      id={`strength-${shot.id}`}
    />
  );
}

/** What the cup was weighed to by hand, where no scale told it. */
export function Drink({ shot }: { shot: Shot }) {
  return (
    <Measured
      words="In the cup, if weighed"
      label="Weighed drink"
      unit="g"
      start={shot.yield_g}
      note={(yield_g) =>
        answered(
          client.PUT("/api/shots/{shot_id}/yield", {
            params: { path: { shot_id: shot.id } },
            body: { yield_g },
          }),
        )
      }
      id={`drink-${shot.id}`}
    />
  );
}

interface MeasuredProps {
  words: string;
  label: string;
  unit: string;
  start: number | null;
  note: (value: number | null) => Promise<ShotLine>;
  id: string;
}

function Measured({ words, label, unit, start, note, id }: MeasuredProps) {
  // What is being typed stays until it is stored; then what is stored shows, whoever stored it.
  const [typed, setTyped] = useState<{ value: Typed }>();
  const queryClient = useQueryClient();
  const measure = useMutation({
    scope: { id },
    mutationFn: (typed: Typed) => note(typed as number | null),
    onSuccess: async (_line, said) => {
      await queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey });
      setTyped((now) => (now?.value === said ? undefined : now));
    },
  });
  return (
    <div className="flex items-start gap-2 pt-3">
      <span className="leading-7">{words}</span>
      <NumberField
        label={label}
        value={typed ? typed.value : start}
        placeholder="none"
        onChange={(next) => {
          setTyped({ value: next });
          measure.mutate(next);
        }}
        error={failureWords(measure.error)}
      />
      <span className="leading-7">{unit}</span>
    </div>
  );
}
