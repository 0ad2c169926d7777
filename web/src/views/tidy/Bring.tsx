import { useState } from "react";
import { Button, ButtonLink } from "../../ui/Button";
import { cn, styles } from "../../ui/styles";

/** Bring a trace in from elsewhere, as a file or as text. */
export function Bring({ bring }: { bring: (text: string) => void }) {
  const [text, setText] = useState("");
  return (
    <form
      className="mx-auto grid w-full max-w-xl gap-3 px-4 py-10"
      onSubmit={(event) => {
        event.preventDefault();
        bring(text);
      }}
    >
      <h1>Tidy a recording into a profile</h1>
      <p>
        Open a shot in Pull and choose "Tidy it into a profile", or import a recording as CSV: one
        column a channel, with its name in the first row. <code>time_s</code> and{" "}
        <code>pressure_bar</code> are needed; <code>water_in_ml_s</code> and <code>cup_g</code>{" "}
        help.
      </p>
      <label>
        A file
        <input
          type="file"
          className="block pt-1"
          accept=".csv,text/csv,text/plain"
          onChange={async (event) => {
            const file = event.target.files?.[0];
            if (file) bring(await file.text());
          }}
        />
      </label>
      <label>
        Or its text
        <textarea
          className={cn(styles.textField, "h-40 w-full py-1 font-mono! leading-[18px]")}
          data-ui="field"
          aria-label="Trace as CSV"
          placeholder={"time_s,pressure_bar,cup_g\n0,0,0\n0.1,0.2,0"}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      </label>
      <div className="flex gap-2">
        <Button type="submit" kind="main" disabled={text.trim() === ""}>
          Tidy it
        </Button>
        <ButtonLink className="min-h-10!" to="/pull">
          Go to Pull
        </ButtonLink>
      </div>
    </form>
  );
}
