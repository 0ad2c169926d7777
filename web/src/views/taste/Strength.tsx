import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, answered, client, type Shot } from "../../api/client";
import { shotsQuery } from "../../api/queries";
import { NumberField, type Typed } from "../../ui/NumberField";

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
  const refused = measure.error instanceof ApiError ? measure.error.problems[0] : undefined;
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
        error={refused ? `got ${refused.got}; takes ${refused.accepted}` : measure.error?.message}
      />
      <span className="leading-7">%</span>
    </div>
  );
}
