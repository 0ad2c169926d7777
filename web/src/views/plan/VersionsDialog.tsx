import { useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client, type History, type Profile } from "../../api/client";
import {
  changesQuery,
  forecastQuery,
  historyQuery,
  profilesQuery,
  versionQuery,
} from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useSetup } from "../../api/useSetup";
import { PUMP_ON } from "../../charts/frame";
import { ForecastChart, forecastExtent } from "../../profile/ForecastChart";
import { loosened } from "../../profile/loose";
import type { Planned } from "../../profile/usePlanned";
import { useStartProfile } from "../../profile/useStartProfile";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { moment } from "../../ui/format";
import { Modal } from "../../ui/Modal";
import { FieldError } from "../../ui/NumberField";
import { PURPOSES, type Purpose } from "../../ui/purposes";
import { styles } from "../../ui/styles";
import { effectsOf } from "./effects";

/** Every version of a profile: bring one back, branch off, and compare what any two should do. */
export function VersionsDialog(props: {
  open: boolean;
  close: () => void;
  history: History;
  planned: Planned;
}) {
  const { open, close, history, planned } = props;
  return (
    <Modal open={open} close={close} wide title={<>Versions of {history.name}</>}>
      <div className="grid grid-cols-[minmax(0,_5fr)_minmax(0,_7fr)] gap-6 max-phone:grid-cols-[minmax(0,_1fr)]">
        <Lines history={history} planned={planned} close={close} />
        <Comparison history={history} />
      </div>
      <Button className="mt-3" onClick={close}>
        Close
      </Button>
    </Modal>
  );
}

/** What a version is pulled for. */
function PurposeChoice(props: { profileId: number; version: History["versions"][number] }) {
  const { profileId, version } = props;
  const queryClient = useQueryClient();
  const set = useMutation({
    mutationFn: (purpose: Purpose | "") =>
      answered(
        client.PUT("/api/profiles/{profile_id}/versions/{number}/purpose", {
          params: { path: { profile_id: profileId, number: version.number } },
          body: { purpose: purpose === "" ? null : purpose },
        }),
      ),
    onSuccess: () => {
      queryClient.invalidateQueries({ queryKey: historyQuery(profileId).queryKey });
      queryClient.invalidateQueries({ queryKey: profilesQuery().queryKey });
      queryClient.invalidateQueries({ queryKey: ["shots"] });
    },
  });
  return (
    <span className="flex items-center gap-1.5 text-quiet">
      for
      <Choice
        label={`Purpose of v${version.number}`}
        value={version.purpose ?? ""}
        options={PURPOSES}
        onChange={(purpose) => set.mutate(purpose)}
        error={failureWords(set.error)}
      />
    </span>
  );
}

function Lines(props: { history: History; planned: Planned; close: () => void }) {
  const { history, planned, close } = props;
  const queryClient = useQueryClient();
  const restore = useMutation({
    mutationFn: (number: number) => queryClient.fetchQuery(versionQuery(history.id, number)),
    onSuccess: (version) => {
      planned.edit("", loosened(version.profile));
      close();
    },
  });
  return (
    <ol
      className="max-h-[62vh] overflow-y-auto [&_li]:py-2 [&_li]:px-0 [&_li]:border-b [&_li]:border-b-rule"
      aria-label="Versions"
    >
      {history.versions.map((version) => (
        <li key={version.number}>
          <div className="flex flex-wrap items-baseline justify-between gap-2">
            <span>
              <b>v{version.number}</b> {version.label && `“${version.label}” `}
              <span className="text-quiet">{moment(version.saved_at)}</span>
            </span>
            <PurposeChoice profileId={history.id} version={version} />
            <span className="flex gap-1.5">
              <Button
                disabled={
                  restore.isPending || (!planned.dirty && version.number === planned.saved.number)
                }
                onClick={() => restore.mutate(version.number)}
              >
                Restore
              </Button>
              <Branch id={history.id} number={version.number} name={history.name} close={close} />
            </span>
          </div>
          <p className="text-quiet first-letter:uppercase">
            {version.differences.length > 0
              ? `${version.differences.join("; ")}.`
              : version.based_on == null
                ? "First version."
                : "Only the name or note changed."}
          </p>
        </li>
      ))}
      {restore.error && <FieldError>{failureWords(restore.error) ?? ""}</FieldError>}
    </ol>
  );
}

/** A profile of its own that begins as one version. */
function Branch(props: { id: number; number: number; name: string; close: () => void }) {
  const { id, number, name, close } = props;
  const [asked, setAsked] = useState(false);
  const [typed, setTyped] = useState(`${name}, from v${number}`);
  const version = useQuery({ ...versionQuery(id, number), enabled: asked });
  const branch = useStartProfile(close);
  if (!asked) return <Button onClick={() => setAsked(true)}>Branch off</Button>;
  return (
    <form
      className="flex flex-wrap gap-1.5"
      onSubmit={(event) => {
        event.preventDefault();
        if (version.data) branch.mutate({ name: typed, profile: version.data.profile });
      }}
    >
      <input
        // biome-ignore lint/a11y/noAutofocus: it was asked for just now
        autoFocus
        className={styles.textField}
        data-ui="field"
        aria-label="Name of the branch"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
      />
      <Button type="submit" disabled={branch.isPending || !version.data}>
        Start it
      </Button>
      {branch.error && <FieldError>{failureWords(branch.error) ?? ""}</FieldError>}
    </form>
  );
}

interface Side {
  id: number;
  number: number;
  name: string;
}

const keyOf = (side: Side) => `${side.id}.${side.number}`;

/** What any two versions should do on the bench: of this profile, or another's newest. */
function Comparison({ history }: { history: History }) {
  const profiles = useQuery(profilesQuery());
  const sides: Side[] = [
    ...history.versions.map(({ number }) => ({ id: history.id, number, name: `v${number}` })),
    ...(profiles.data ?? [])
      .filter((one) => one.id !== history.id)
      .map((one) => ({ id: one.id, number: one.newest, name: `${one.name} v${one.newest}` })),
  ];
  const [keys, setKeys] = useState<[string, string]>();
  const second = sides.find((one) => keyOf(one) === keys?.[1]) ?? sides[0];
  const first = sides.find((one) => keyOf(one) === keys?.[0]) ?? sides[1];
  const options = sides.map((side) => ({ value: keyOf(side), words: side.name }));
  if (!second || !first)
    return <p className="text-quiet">With a second version, this is where two are compared.</p>;
  return (
    <section aria-label="Compare two" className="min-w-0">
      <div className="flex flex-wrap items-start gap-2">
        <span className="leading-7">From</span>
        <Choice
          label="Compare from"
          value={keyOf(first)}
          options={options}
          onChange={(key) => setKeys([key, keyOf(second)])}
        />
        <span className="leading-7">to</span>
        <Choice
          label="Compare to"
          value={keyOf(second)}
          options={options}
          onChange={(key) => setKeys([keyOf(first), key])}
        />
      </div>
      <Compared first={first} second={second} />
    </section>
  );
}

function Compared({ first, second }: { first: Side; second: Side }) {
  const setup = useSetup();
  const versions = useQueries({
    queries: [first, second].map((side) => versionQuery(side.id, side.number)),
  });
  const [one, other] = versions.map((query) => query.data?.profile);
  const forecasts = useQueries({
    queries: [one, other].map((profile) => ({
      ...forecastQuery(setup, profile, 1),
      enabled: Boolean(setup && profile),
    })),
  });
  const changes = useQuery(
    changesQuery(setup, first.id, first.number, other, Boolean(setup && other)),
  );
  const error = [...versions, ...forecasts].find((query) => query.error)?.error;
  if (error) return <p className="mt-2 text-warn">{failureWords(error)}</p>;
  const [before, after] = forecasts.map((query) => query.data);
  if (!before || !after || !other) return <p className="mt-2 text-quiet">Predicting both</p>;
  return (
    <>
      <div className={styles.styleChart}>
        <ForecastChart
          extent={forecastExtent(before.prediction, after.prediction)}
          axis={PUMP_ON}
          answered={{ forecast: after, profile: loosened(other as Profile) }}
          ghost={before.prediction}
          ghostName={first.name}
        />
      </div>
      <p className="mt-2 first-letter:uppercase">
        {changes.data?.differences.length
          ? `${changes.data.differences.join("; ")}.`
          : "They do the same."}
      </p>
      <p className="text-quiet first-letter:uppercase" role="status">
        {effectsOf(before.prediction, after.prediction).join("; ")}
      </p>
    </>
  );
}
