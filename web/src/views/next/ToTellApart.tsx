import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import type { Next, ShotLine } from "../../api/client";
import { failureWords } from "../../api/refusals";
import { useDraftInPlan, useRecipeOnBench } from "../../profile/useIntoPlan";
import { Button } from "../../ui/Button";
import { FieldError } from "../../ui/NumberField";

/** Two changes made at once say nothing of either: the shot that tells them apart. */
export function ToTellApart(props: { shot: ShotLine; apart: NonNullable<Next["apart"]> }) {
  const { shot, apart } = props;
  const navigate = useNavigate();
  const onBench = useRecipeOnBench();
  const inPlan = useDraftInPlan();
  const take = useMutation({
    mutationFn: async () => {
      await onBench(apart.bench);
      await inPlan(shot.profile_id, apart.profile, "next");
    },
    onSuccess: () => navigate(`/plan/${shot.profile_id}`),
  });
  return (
    <div
      className="mb-2 flex flex-wrap items-center justify-between gap-2 rounded-sm border border-rule bg-sheet px-3 py-1.5"
      data-part="apart"
    >
      <p>
        <b>{apart.first}</b> and <b>{apart.second.toLowerCase()}</b> were changed at once since shot{" "}
        {apart.shot_id}: what each of them did cannot be told. Shot {apart.shot_id} with only{" "}
        {apart.first.toLowerCase()} would tell.
      </p>
      <Button disabled={take.isPending} onClick={() => take.mutate()}>
        Only {apart.first.toLowerCase()}
      </Button>
      {take.error && <FieldError>{failureWords(take.error) ?? ""}</FieldError>}
    </div>
  );
}
