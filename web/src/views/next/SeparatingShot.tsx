import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import type { Next, ShotLine } from "../../api/client";
import { failureWords } from "../../api/refusals";
import { useDraftInPlan, useRecipeOnBench } from "../../profile/useIntoPlan";
import { Button } from "../../ui/Button";
import { FieldError } from "../../ui/NumberField";

/** Two changes made at once say nothing of either: the shot that separates what they did. */
export function SeparatingShot(props: {
  shot: ShotLine;
  separating: NonNullable<Next["separating"]>;
}) {
  const { shot, separating } = props;
  const navigate = useNavigate();
  const onBench = useRecipeOnBench();
  const inPlan = useDraftInPlan();
  const take = useMutation({
    mutationFn: async () => {
      await onBench(separating.bench);
      await inPlan(shot.profile_id, separating.profile, "next");
    },
    onSuccess: () => navigate(`/plan/${shot.profile_id}`),
  });
  return (
    <div
      className="mb-2 flex flex-wrap items-center justify-between gap-2 rounded-sm border border-rule bg-sheet px-3 py-1.5"
      data-part="separating"
    >
      <p>
        <b>{separating.first}</b> and <b>{separating.second.toLowerCase()}</b> were changed at once
        since shot {separating.shot_id}: what each of them did is not known. Shot{" "}
        {separating.shot_id} with only {separating.first.toLowerCase()} would show it.
      </p>
      <Button disabled={take.isPending} onClick={() => take.mutate()}>
        Only {separating.first.toLowerCase()}
      </Button>
      {take.error && <FieldError>{failureWords(take.error) ?? ""}</FieldError>}
    </div>
  );
}
