import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ChevronDown } from "lucide-react";
import { useState } from "react";
import { answered, type Bench, client } from "../../api/client";
import { keepAnswer } from "../../api/keepAnswer";
import { seriesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { FAULTS, usePreparing } from "../../shots/preparing";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { styles } from "../../ui/styles";

/** What a pull may be for besides a drink: the spread of repeats, or practising for a fault. */
export function Practice({ bench, id, number }: { bench: Bench; id: number; number: number }) {
  const { series_id, rehearse } = usePreparing();
  const series = useQuery({ ...seriesQuery(series_id ?? 0), enabled: series_id !== null });
  const here = series.data?.profile_id === id && series.data.number === number;
  const told = [
    here && series.data ? `pull ${series.data.shots.length + 1} of ${series.data.wanted}` : null,
    rehearse ? FAULTS.find((one) => one.value === rehearse.fault)?.words : null,
  ].filter(Boolean);
  return (
    <Disclosure as="section" className="border-y border-rule" aria-label="Repeat or rehearse">
      <DisclosureButton className="flex w-full items-center justify-between py-1.5 text-left">
        <span>
          Repeat or rehearse
          {told.length > 0 && <b>: {told.join(", ")}</b>}
        </span>
        <ChevronDown size={14} aria-hidden="true" />
      </DisclosureButton>
      <DisclosurePanel className="grid gap-2 pb-2">
        <Repeat id={id} number={number} inSeries={here} />
        {bench.machine.simulated && <Rehearse />}
      </DisclosurePanel>
    </Disclosure>
  );
}

function Repeat({ id, number, inSeries }: { id: number; number: number; inSeries: boolean }) {
  const set = usePreparing((state) => state.set);
  const [wanted, setWanted] = useState<Typed>(3);
  const queryClient = useQueryClient();
  const start = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/series", {
          body: { profile_id: id, number, wanted: wanted as number },
        }),
      ),
    onSuccess: async (series) => {
      await keepAnswer(queryClient, seriesQuery(series.id).queryKey, series);
      set({ series_id: series.id });
    },
  });
  if (inSeries)
    return (
      <p>
        This pull belongs to a series.{" "}
        <button type="button" className={styles.word} onClick={() => set({ series_id: null })}>
          Leave the series
        </button>
      </p>
    );
  return (
    <form
      className="flex flex-wrap items-start gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate();
      }}
    >
      <span className="leading-7">Pull it</span>
      <NumberField label="Pulls" value={wanted} step={1} width={44} onChange={setWanted} />
      <span className="leading-7">times, for its spread</span>
      <Button type="submit">Begin</Button>
      {start.error && <FieldError>{failureWords(start.error) ?? ""}</FieldError>}
    </form>
  );
}

/** A simulated machine can fail on request, so that one has met it before it happens. */
function Rehearse() {
  const { rehearse, set } = usePreparing();
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span>Rehearse:</span>
      <Choice
        label="What goes wrong"
        value={rehearse?.fault ?? "none"}
        options={FAULTS}
        onChange={(fault) =>
          set({
            rehearse: fault === "none" ? null : { fault, at_s: rehearse?.at_s ?? 8, share: 10 },
          })
        }
      />
      {rehearse && (
        <>
          <span>from</span>
          <NumberField
            label="From, s"
            value={rehearse.at_s}
            step={1}
            width={44}
            onChange={(at_s) => set({ rehearse: { ...rehearse, at_s: at_s as number } })}
          />
          <span>s</span>
        </>
      )}
    </div>
  );
}
