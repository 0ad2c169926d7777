import { useQuery } from "@tanstack/react-query";
import type { Bench } from "../../api/client";
import { benchQuery } from "../../api/queries";
import { useChangeBench } from "../../api/useChangeBench";
import { Button } from "../../ui/Button";

export type Kind = "machine" | "coffee" | "grinder" | "basket" | "water" | "preparation";

/** Whether something stands on the bench, and putting it there. */
export function OnTheBench({ kind, id }: { kind: Kind; id: number }) {
  const bench = useQuery(benchQuery());
  const change = useChangeBench();
  const there: { id: number } | null | undefined = bench.data?.[kind as keyof Bench & Kind];
  if (there?.id === id) return <span className="text-quiet">On the bench</span>;
  return <Button onClick={() => change.mutate({ [`${kind}_id`]: id })}>Put it on the bench</Button>;
}
