import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answered, client } from "../../api/client";
import { cutOffQuery } from "../../api/queries";
import { Button, ButtonLink } from "../../ui/Button";

/** Shots that were cut off: what came is kept, and is offered until somebody has looked. */
export function CutOff() {
  const shots = useQuery(cutOffQuery());
  const queryClient = useQueryClient();
  const seen = useMutation({
    mutationFn: (shotId: number) =>
      answered(client.POST("/api/shots/{shot_id}/seen", { params: { path: { shot_id: shotId } } })),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: cutOffQuery().queryKey }),
  });
  const [shot, ...others] = shots.data ?? [];
  if (!shot) return null;
  return (
    <div
      role="status"
      className="mb-2 flex flex-wrap items-center gap-3 border-l-4 border-warn pl-3"
    >
      <span>
        <b>
          Shot {shot.id}, {shot.profile_name} v{shot.number}, was cut off.
        </b>{" "}
        Everything received until then is kept.
        {others.length > 0 && ` So are ${others.length} more.`}
      </span>
      <ButtonLink to={`/pull/shot/${shot.id}`} onClick={() => seen.mutate(shot.id)}>
        View
      </ButtonLink>
      <Button onClick={() => seen.mutate(shot.id)}>Dismiss</Button>
    </div>
  );
}
