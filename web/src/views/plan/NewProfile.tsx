import { useId, useState } from "react";
import { failureWords } from "../../api/refusals";
import { useStartProfile } from "../../profile/useStartProfile";
import { FieldError } from "../../ui/NumberField";

/** Start a profile by its name. */
export function NewProfile({ main = false, started }: { main?: boolean; started?: () => void }) {
  const [name, setName] = useState("");
  const errorId = useId();
  const start = useStartProfile(started);
  return (
    <form
      className="flex flex-wrap items-center justify-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate({ name });
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
