import { useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import type { Planned } from "../../profile/usePlanned";

/** The next step of the loop: pull what is on the page, saving it first if need be. */
export function useNextStep(planned: Planned) {
  const navigate = useNavigate();
  const [asked, setAsked] = useState(false);
  const go = (number: number) => navigate(`/pull/${planned.id}/${number}`);
  const run = () => {
    if (!planned.dirty) {
      go(planned.saved.number);
      return;
    }
    setAsked(true);
    planned.save.mutate(null, {
      onSuccess: (version) => go(version.number),
      onSettled: () => setAsked(false),
    });
  };
  const number = planned.saved.number + 1;
  const words = planned.dirty ? `Save as v${number} and pull` : `Pull v${planned.saved.number}`;
  const saving = asked || planned.save.isPending;
  const latest = useRef(run);
  latest.current = run;
  return useMemo(() => ({ words, run: () => latest.current(), saving }), [words, saving]);
}

export type NextStep = ReturnType<typeof useNextStep>;
