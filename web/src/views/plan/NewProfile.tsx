import { useId, useState } from "react";
import { failureWords } from "../../api/refusals";
import { useStartProfile } from "../../profile/useStartProfile";
import { Button } from "../../ui/Button";
import { FieldError } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";

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
        className={cn(styles.textField, "h-9 min-w-0 flex-1")}
        data-ui="field"
        aria-label="Name of the new profile"
        aria-invalid={start.isError || undefined}
        aria-describedby={start.isError ? errorId : undefined}
        placeholder="Name of the new profile"
        value={name}
        onChange={(event) => setName(event.target.value)}
      />
      <Button type="submit" kind={main ? "main" : "plain"} disabled={start.isPending}>
        Start a profile
      </Button>
      {start.error && (
        <span className="basis-full text-left">
          <FieldError id={errorId}>{failureWords(start.error) ?? ""}</FieldError>
        </span>
      )}
    </form>
  );
}
