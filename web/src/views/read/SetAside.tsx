import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client, type Shot } from "../../api/client";
import { shotsQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { Button } from "../../ui/Button";
import { Drop } from "../../ui/Drop";
import { FieldError } from "../../ui/NumberField";
import { Reason } from "../../ui/Reason";

const REASONS = ["the puck was spoiled", "wrong dose or grind", "the cup was moved", "a test"];

/** Change whether a shot counts; every spread and reading that rests on it is asked again. */
function useSetAside(shot: Shot) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (reason: string | null) =>
      answered(
        client.PUT("/api/shots/{shot_id}/set-aside", {
          params: { path: { shot_id: shot.id } },
          body: { reason },
        }),
      ),
    onSuccess: () => {
      queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey });
      queryClient.invalidateQueries({ queryKey: ["series"] });
      queryClient.invalidateQueries({ queryKey: ["bench"] });
    },
  });
}

/** Let a shot count nowhere, with a reason; it is never deleted. */
export function SetAside({ shot }: { shot: Shot }) {
  const [reason, setReason] = useState("");
  const change = useSetAside(shot);
  return (
    <Drop words="Set aside">
      {(close) => (
        <form
          className="grid gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            change.mutate(reason, { onSuccess: close });
          }}
        >
          <p className="text-quiet">
            A shot set aside is kept, but left out of every average, spread and comparison with
            usual.
          </p>
          <Reason usual={REASONS} value={reason} onChange={setReason} />
          {change.error && <FieldError>{failureWords(change.error) ?? ""}</FieldError>}
          <Button type="submit" disabled={reason.trim() === "" || change.isPending}>
            Set it aside
          </Button>
        </form>
      )}
    </Drop>
  );
}

/** That a shot was set aside, why, and the way back. */
export function AsideNote({ shot }: { shot: Shot }) {
  const change = useSetAside(shot);
  if (shot.set_aside === null) return null;
  return (
    <p
      className="mb-2 flex flex-wrap items-center gap-2 rounded-sm border border-warn px-2 py-1"
      data-part="set-aside"
    >
      <span>
        <b className="text-warn">Set aside</b>: {shot.set_aside}. It is left out of every average.
      </span>
      <Button disabled={change.isPending} onClick={() => change.mutate(null)}>
        Count it again
      </Button>
      {change.error && <FieldError>{failureWords(change.error) ?? ""}</FieldError>}
    </p>
  );
}
