import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client, type Shot } from "../api/client";
import { shotsQuery } from "../api/queries";
import { failureWords } from "../api/refusals";
import { NumberField, type Typed } from "../ui/NumberField";

/** A measured strength, from which the extraction follows; left out it stays unknown. */
export function Strength({ shot }: { shot: Shot }) {
  const [value, setValue] = useState<Typed>(shot.tds_pct);
  const queryClient = useQueryClient();
  const measure = useMutation({
    scope: { id: `strength-${shot.id}` },
    mutationFn: (tds_pct: Typed) =>
      answered(
        client.PUT("/api/shots/{shot_id}/strength", {
          params: { path: { shot_id: shot.id } },
          body: { tds_pct: tds_pct as number | null },
        }),
      ),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey }),
  });
  return (
    <div className="flex items-start gap-2 pt-3">
      <span className="leading-7">Strength, if measured</span>
      <NumberField
        label="Measured strength"
        value={value}
        placeholder="none"
        onChange={(next) => {
          setValue(next);
          measure.mutate(next);
        }}
        error={failureWords(measure.error)}
      />
      <span className="leading-7">%</span>
    </div>
  );
}
