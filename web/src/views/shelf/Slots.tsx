import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answered, client, type Slot, type SlotPlan } from "../../api/client";
import { profilesQuery, slotsQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { moment } from "../../ui/format";
import { FieldError } from "../../ui/NumberField";
import { Panel } from "../../ui/Panel";
import { cn, styles } from "../../ui/styles";

/** What lies in which slot of a machine. Storing over something shows both and asks. */
export function Slots({ machineId }: { machineId: number }) {
  const slots = useQuery(slotsQuery(machineId));
  if (slots.error) return <FieldError>{failureWords(slots.error) ?? ""}</FieldError>;
  if (!slots.data) return null;
  return (
    <Panel name="Slots">
      {slots.data.slots.length === 0 ? (
        <p className="text-quiet">This machine remembers no programs.</p>
      ) : (
        <>
          <ol className="[&_li]:flex [&_li]:flex-wrap [&_li]:items-center [&_li]:gap-y-1 [&_li]:gap-x-3 [&_li]:min-h-8 [&_li]:border-t [&_li]:border-t-rule">
            {slots.data.slots.map((slot) => (
              <SlotLine key={slot.number} slot={slot} machineId={machineId} />
            ))}
          </ol>
          <Store plan={slots.data} />
        </>
      )}
    </Panel>
  );
}

function SlotLine({ slot, machineId }: { slot: Slot; machineId: number }) {
  const queryClient = useQueryClient();
  const clear = useMutation({
    mutationFn: () =>
      answered(
        client.DELETE("/api/machines/{machine_id}/slots/{number}", {
          params: {
            path: { machine_id: machineId, number: slot.number },
            query: { over: slot.name ?? "" },
          },
        }),
      ),
    onSettled: () => queryClient.invalidateQueries({ queryKey: ["slots", machineId] }),
  });
  const older = slot.newest != null && slot.version != null && slot.newest > slot.version;
  return (
    <li>
      <span className="w-4.5 font-mono text-quiet">{slot.number}</span>
      {slot.name ? (
        <>
          <b className="min-w-24 font-mono font-semibold">{slot.name}</b>
          <span className="min-w-0 flex-1">
            <Link className={styles.word} to={`/plan/${slot.profile_id}`}>
              {slot.profile_name} v{slot.version}
            </Link>
            <span className="text-quiet">
              , stored {moment(slot.stored_at ?? "")}
              {older && `; v${slot.newest} is newer`}
            </span>
          </span>
          <Button
            className="min-h-6! py-0!"
            disabled={clear.isPending}
            onClick={() => clear.mutate()}
          >
            Clear it
          </Button>
        </>
      ) : (
        <span className="text-quiet">empty</span>
      )}
      {clear.error && <FieldError>{failureWords(clear.error) ?? ""}</FieldError>}
    </li>
  );
}

function Store({ plan }: { plan: SlotPlan }) {
  const profiles = useQuery(profilesQuery());
  const [chosen, choose] = useState<number>();
  const profile = profiles.data?.find((one) => one.id === chosen) ?? profiles.data?.[0];
  const free = plan.slots.find((one) => one.name == null)?.number ?? 1;
  const [at, setAt] = useState<number>();
  const number = at ?? free;
  const there = plan.slots.find((one) => one.number === number);
  const [name, setName] = useState<string>();
  const [sure, setSure] = useState(false);
  const offered = useQuery({
    ...slotsQuery(plan.machine_id, profile?.id),
    enabled: Boolean(profile),
  });
  const queryClient = useQueryClient();
  const shown = name ?? offered.data?.offered_name ?? "";
  const store = useMutation({
    mutationFn: () =>
      answered(
        client.PUT("/api/machines/{machine_id}/slots/{number}", {
          params: { path: { machine_id: plan.machine_id, number } },
          body: {
            profile_id: profile?.id ?? 0,
            version: profile?.newest ?? 0,
            name: shown || null,
            over: there?.name ?? null,
          },
        }),
      ),
    onSuccess: () => {
      setName(undefined);
      setAt(undefined);
      setSure(false);
    },
    onSettled: () => queryClient.invalidateQueries({ queryKey: ["slots", plan.machine_id] }),
  });
  if (!profile) return null;
  return (
    <form
      className="flex flex-wrap items-start gap-y-1.5 gap-x-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (there?.name && !sure) setSure(true);
        else store.mutate();
      }}
    >
      <span className="leading-7">Store</span>
      <Choice
        label="Profile to store"
        value={profile.id}
        options={
          profiles.data?.map((one) => ({
            value: one.id,
            words: `${one.name} v${one.newest}`,
          })) ?? []
        }
        onChange={(value) => {
          choose(value);
          setName(undefined);
          setSure(false);
        }}
      />
      <span className="leading-7">as</span>
      <input
        className={cn(styles.textField, "w-28")}
        data-ui="field"
        aria-label="Name on its display"
        value={shown}
        onChange={(event) => setName(event.target.value)}
      />
      <span className="leading-7">in slot</span>
      <Choice
        label="Slot"
        value={number}
        options={plan.slots.map((one) => ({
          value: one.number,
          words: `${one.number}${one.name ? `, holds ${one.name}` : ""}`,
          button: String(one.number),
        }))}
        onChange={(value) => {
          setAt(value);
          setSure(false);
        }}
      />
      <Button type="submit" disabled={store.isPending}>
        {there?.name && sure ? `Overwrite ${there.name}` : "Store it"}
      </Button>
      {there?.name && sure && (
        <p className="basis-full text-warn" role="alert">
          Slot {number} holds {there.name} ({there.profile_name} v{there.version}); {shown} (
          {profile.name} v{profile.newest}) would take its place. {there.profile_name} itself stays
          in the library.
        </p>
      )}
      {store.error && <FieldError>{failureWords(store.error) ?? ""}</FieldError>}
    </form>
  );
}
