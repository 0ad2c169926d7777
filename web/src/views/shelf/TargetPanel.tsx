import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client, type Target } from "../../api/client";
import { keepChange } from "../../api/keepAnswer";
import { formQuery, targetQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { Panel } from "../../ui/Panel";
import { WordTags } from "../../ui/WordTags";

/** What a coffee should taste like: scores and words that each tasted cup is compared with. */
export function TargetPanel({ coffeeId }: { coffeeId: number }) {
  const form = useQuery(formQuery());
  const target = useQuery(targetQuery(coffeeId));
  // What is typed stays until it is stored: the server says what is wrong with it.
  const [typed, setTyped] = useState<Record<string, Typed>>({});
  const queryClient = useQueryClient();
  const save = useMutation({
    scope: { id: `target-${coffeeId}` },
    mutationFn: (aim: Target) =>
      answered(
        client.PUT("/api/coffees/{coffee_id}/target", {
          params: { path: { coffee_id: coffeeId } },
          body: aim,
        }),
      ),
    // What is aimed at shows at once, and the next change starts from it.
    onMutate: (aim) => keepChange(queryClient, targetQuery(coffeeId).queryKey, aim),
    onError: () => queryClient.invalidateQueries({ queryKey: targetQuery(coffeeId).queryKey }),
  });
  if (!form.data || !target.data) return null;
  const scores: Record<string, Typed> = { ...target.data.scores, ...typed };
  const { words } = target.data;
  const tell = (next: { scores?: Record<string, Typed>; words?: string[] }) => {
    const given = Object.entries(next.scores ?? scores).filter(([, points]) => points !== null);
    save.mutate({
      ...target.data,
      scores: Object.fromEntries(given) as Target["scores"],
      words: next.words ?? words,
    });
  };
  return (
    <Panel name="Taste target">
      <p className="text-quiet">
        What it should taste like. Leave out lines that do not matter; tastings then show which cups
        are noticeably off.
      </p>
      <div className="grid grid-cols-[repeat(auto-fill,minmax(190px,1fr))] gap-x-4 gap-y-1.5">
        {form.data.attributes.map((attribute) => (
          <span key={attribute.field} className="flex items-center justify-between gap-2">
            {attribute.name}
            <NumberField
              label={`Target of ${attribute.name.toLowerCase()}`}
              value={scores[attribute.field] ?? null}
              step={1}
              width={48}
              placeholder="–"
              onChange={(points) => {
                const next = { ...scores, [attribute.field]: points };
                setTyped((old) => ({ ...old, [attribute.field]: points }));
                tell({ scores: next });
              }}
            />
          </span>
        ))}
      </div>
      <WordTags
        folded
        words={words}
        listed={form.data.words}
        change={(next) => tell({ words: next })}
      />
      {save.error && <FieldError>{failureWords(save.error) ?? ""}</FieldError>}
    </Panel>
  );
}
