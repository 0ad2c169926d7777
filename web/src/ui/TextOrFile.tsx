import { useState } from "react";
import { Button } from "./Button";
import { cn, styles } from "./styles";

/** A text from a file, or typed: taken at once from the file, else when it is sent. */
export function TextOrFile(props: {
  label: string;
  placeholder: string;
  send: string;
  main?: boolean;
  take: (text: string) => void;
}) {
  const { label, placeholder, send, main = false, take } = props;
  const [text, setText] = useState("");
  return (
    <>
      <label>
        A file
        <input
          type="file"
          className="block pt-1"
          accept=".csv,.tsv,.txt,text/csv,text/plain"
          onChange={async (event) => {
            const file = event.target.files?.[0];
            if (file) take(await file.text());
          }}
        />
      </label>
      <label>
        Or its text
        <textarea
          className={cn(styles.textField, "h-40 w-full py-1 font-mono! leading-[18px]")}
          data-ui="field"
          aria-label={label}
          placeholder={placeholder}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      </label>
      <div>
        <Button
          kind={main ? "main" : "plain"}
          disabled={text.trim() === ""}
          onClick={() => take(text)}
        >
          {send}
        </Button>
      </div>
    </>
  );
}
