import { useState } from "react";
import { Button } from "./Button";
import { cn, styles } from "./styles";
import { toggled } from "./Tick";

const MOST_WORDS = 12;

/** Flavour words as tags: from the list, or one's own. */
export function WordTags(props: {
  words: string[];
  listed: Record<string, string[]>;
  /** Only the words given show, until it is opened. */
  folded?: boolean;
  change: (words: string[]) => void;
}) {
  const { words, listed, folded = false, change } = props;
  const [own, setOwn] = useState("");
  const known = Object.values(listed).flat();
  const full = words.length >= MOST_WORDS;
  const add = (word: string) => {
    const clean = word.trim();
    const there = words.some((one) => one.toLowerCase() === clean.toLowerCase());
    if (clean !== "" && !there && !full) change([...words, clean]);
    setOwn("");
  };
  const tags = (
    <fieldset className="mt-2 max-w-[640px]" aria-label="Flavour words">
      <div className="flex flex-wrap gap-1.5">
        {[...words.filter((word) => !known.includes(word)), ...known].map((word) => {
          const on = words.includes(word);
          return (
            <Button
              key={word}
              aria-pressed={on}
              disabled={full && !on}
              className={cn("px-2 py-0.5", on && "border-action bg-action text-on-action")}
              onClick={() => change(toggled(words, word, !on))}
            >
              {word}
            </Button>
          );
        })}
        <form
          onSubmit={(event) => {
            event.preventDefault();
            add(own);
          }}
        >
          <input
            aria-label="Another word"
            placeholder="another word"
            maxLength={60}
            disabled={full}
            className={cn(styles.textField, "w-32")}
            data-ui="field"
            value={own}
            onChange={(event) => setOwn(event.target.value)}
          />
        </form>
      </div>
    </fieldset>
  );
  if (!folded) return tags;
  return (
    <details className="mt-2">
      <summary className="cursor-pointer">
        <span className="font-medium">Words</span>{" "}
        <span className="text-quiet">{words.join(", ") || "none yet"}</span>
      </summary>
      {tags}
    </details>
  );
}
