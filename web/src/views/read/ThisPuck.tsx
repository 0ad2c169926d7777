import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answered, client, type Shot } from "../../api/client";
import { keepAnswer } from "../../api/keepAnswer";
import { benchQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useActions } from "../../bench/actions";
import { Button } from "../../ui/Button";
import { FieldError } from "../../ui/NumberField";

/** Put the shot's own puck on the bench, to see what another profile would have made of it. */
export function ThisPuck({ shot }: { shot: Shot }) {
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const put = useMutation({
    mutationFn: () =>
      answered(
        client.PUT("/api/shots/{shot_id}/puck-on-bench", {
          params: { path: { shot_id: shot.id } },
        }),
      ),
    onSuccess: async (bench) => {
      await keepAnswer(queryClient, benchQuery().queryKey, bench);
      navigate(`/plan/${shot.profile_id}`);
    },
  });
  useActions("this puck", [
    {
      id: "this-puck",
      words: "Change the profile on this very puck",
      group: "Here",
      disabled: put.isPending,
      run: () => put.mutate(),
    },
  ]);
  return (
    <>
      <Button onClick={() => put.mutate()} disabled={put.isPending}>
        {put.isPending ? "Identifying its puck" : "Change it on this very puck"}
      </Button>
      {put.error && <FieldError>{failureWords(put.error) ?? ""}</FieldError>}
    </>
  );
}
