import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client, type Shot, type ShotLine } from "../api/client";
import { shotsQuery } from "../api/queries";
import { failureWords } from "../api/refusals";
import { Button } from "../ui/Button";
import { NumberField, type Typed } from "../ui/NumberField";
import { readUnit } from "../ui/units";

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
            body: { tds_pct, again: false },
          }),
        )
      }
      id={`strength-${shot.id}`}
    />
  );
}

/** Further readings of the strength, whose mean counts, and the extraction's error from them. */
export function Readings({ shot }: { shot: Shot }) {
  const [typed, setTyped] = useState<Typed>(null);
  const queryClient = useQueryClient();
  const add = useMutation({
    mutationFn: () =>
      answered(
        client.PUT("/api/shots/{shot_id}/strength", {
          params: { path: { shot_id: shot.id } },
          body: { tds_pct: typed as number, again: true },
        }),
      ),
    onSuccess: () => {
      setTyped(null);
      queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey });
    },
  });
  if (shot.readings_pct.length === 0) return null;
  const several = shot.readings_pct.length > 1;
  return (
    <form
      className="pt-1"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <span className="flex flex-wrap items-start gap-2">
        <span className="leading-7">Read again</span>
        <NumberField
          label="Another reading"
          value={typed}
          placeholder="none"
          onChange={setTyped}
          error={failureWords(add.error)}
        />
        <span className="leading-7">%</span>
        <Button type="submit" disabled={typed === null || add.isPending}>
          Add
        </Button>
      </span>
      <p className="text-small text-quiet tabular-nums">
        {several && `Mean of ${shot.readings_pct.map((one) => one.toFixed(2)).join(", ")}. `}
        {shot.extraction_yield_pct !== null && shot.extraction_error_pct !== null && (
          <>
            Extraction {shot.extraction_yield_pct.toFixed(1)} ±{" "}
            {shot.extraction_error_pct.toFixed(1)} %{!several && ", less if it is read twice"}.
          </>
        )}
      </p>
    </form>
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
        unit={unit}
        placeholder="none"
        onChange={(next) => {
          setTyped({ value: next });
          measure.mutate(next);
        }}
        error={failureWords(measure.error)}
      />
      <span className="leading-7">{readUnit(unit)}</span>
    </div>
  );
}
