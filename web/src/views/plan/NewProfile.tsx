import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { useNavigate } from "react-router";
import { answered, client } from "../../api/client";
import { profilesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { FieldError } from "../../ui/NumberField";

/** Start a profile by its name. */
export function NewProfile({ main = false, started }: { main?: boolean; started?: () => void }) {
  const [name, setName] = useState("");
  const errorId = useId();
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const start = useMutation({
    mutationFn: () => answered(client.POST("/api/profiles", { body: { name } })),
    onSuccess: async (version) => {
      await queryClient.invalidateQueries({ queryKey: profilesQuery().queryKey, exact: true });
      started?.();
      navigate(`/plan/${version.profile_id}`);
    },
  });
  return (
    <form
      className="flex flex-wrap items-center justify-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate();
      }}
    >
      <input
        className="field text h-9 min-w-0 flex-1"
        aria-label="Name of the new profile"
        aria-invalid={start.isError || undefined}
        aria-describedby={start.isError ? errorId : undefined}
        placeholder="Name of the new profile"
        value={name}
        onChange={(event) => setName(event.target.value)}
      />
      <button type="submit" className={`btn ${main ? "btn-main" : ""}`} disabled={start.isPending}>
        Start a profile
      </button>
      {start.error && (
        <span className="basis-full text-left">
          <FieldError id={errorId}>{failureWords(start.error) ?? ""}</FieldError>
        </span>
      )}
    </form>
  );
}
