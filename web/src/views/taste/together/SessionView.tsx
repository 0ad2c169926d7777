import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Navigate, useNavigate, useParams } from "react-router";
import { ApiError, answered, client, type TastingSession } from "../../../api/client";
import { keepAnswer } from "../../../api/keepAnswer";
import { phonesQuery, servingQuery, tastingQuery, tastingsQuery } from "../../../api/queries";
import { failureWords } from "../../../api/refusals";
import { useTableNews } from "../../../api/useTableNews";
import { useActions } from "../../../bench/actions";
import { Button, ButtonLink } from "../../../ui/Button";
import { Drop } from "../../../ui/Drop";
import { moment } from "../../../ui/format";
import { Loading, PageError } from "../../../ui/Messages";
import { FieldError } from "../../../ui/NumberField";
import { Reason } from "../../../ui/Reason";
import { styles } from "../../../ui/styles";
import { TextLine } from "../../../ui/TextLine";
import { inGroups } from "../table/seatSecret";
import { Closed } from "./Closed";
import { adviceFor, numberWord, sessionWords } from "./words";

/** A tasting as its host sees it: how much each taster has answered, and the results once closed. */
export function SessionView() {
  const { sessionId } = useParams();
  const id = Number(sessionId);
  const known = Number.isInteger(id);
  const session = useQuery({ ...tastingQuery(id), enabled: known });
  if (!known) return <Navigate to="/taste/together" replace />;
  if (session.data?.state === "closed") return <Closed session={session.data} />;
  if (session.data) return <Open session={session.data} />;
  if (session.isError) return <PageError error={session.error} retry={() => session.refetch()} />;
  return <Loading what="the tasting" />;
}

function Open({ session }: { session: TastingSession }) {
  useTableNews(session.join_code, true);
  const close = useClose(session.id);
  const unfinished =
    close.error instanceof ApiError && close.error.status === 409 ? close.error.message : null;
  useActions("session", [
    {
      id: "close",
      words: "Close and reveal",
      group: "Here",
      run: () => close.mutate(unfinished !== null),
    },
  ]);
  return (
    <div className={styles.plan}>
      <main className={styles.planMain}>
        <div className={styles.planHead}>
          <h1>
            {numberWord(session.shots.length)} {session.shots.length === 1 ? "drink" : "drinks"} on
            the table
          </h1>
          <p className="mt-1 text-quiet">{sessionWords(session)}</p>
        </div>
        <section className={styles.part} aria-label="Who tastes">
          <h2>Who tastes</h2>
          <ul>
            {session.seats.map((seat) => (
              <li
                key={seat.taster_id}
                className="grid grid-cols-[minmax(0,_150px)_minmax(0,_1fr)_84px_auto] items-center gap-3 border-b border-rule py-2 last:border-b-0 max-phone:grid-cols-[minmax(0,_1fr)_auto]"
              >
                <b className="truncate">{seat.name}</b>
                <span
                  className="h-2 rounded-full bg-tint max-phone:hidden"
                  role="progressbar"
                  aria-label={`Answers of ${seat.name}`}
                  aria-valuenow={seat.given}
                  aria-valuemin={0}
                  aria-valuemax={seat.asked}
                >
                  <span
                    className="block h-full rounded-full bg-action"
                    style={{ width: `${seat.asked ? (100 * seat.given) / seat.asked : 0}%` }}
                  />
                </span>
                <span className="tabular-nums text-quiet">
                  {seat.given} of {seat.asked}
                </span>
                <ButtonLink to={placeOf(session, seat)}>Taste here</ButtonLink>
              </li>
            ))}
          </ul>
        </section>
        <OnPhones session={session} />
        {session.warnings.map((words) => (
          <p key={words} className="mt-2 flex gap-1.5 text-warn">
            <TriangleAlert size={15} className="mt-px shrink-0" aria-hidden="true" />
            {words}
          </p>
        ))}
        <Withdrawn session={session} />
      </main>
      <aside className={styles.forecastColumn} aria-label="This tasting">
        <h2>For the person who pours</h2>
        <p className="mt-1 text-quiet">
          The serving sheet is the only page that says which code is which shot. Tasters should not
          look at it.
        </p>
        <div className="mt-2 flex flex-wrap gap-2">
          <ButtonLink to={`/taste/together/${session.id}/serving`}>Serving sheet</ButtonLink>
          <Withdraw session={session} />
          <RemoveSession session={session} />
        </div>
        <h2 className="pt-4">Caffeine</h2>
        <ul className="mt-1">
          {session.seats.map((seat) => (
            <li key={seat.taster_id} className="flex justify-between gap-2">
              <span className="truncate">{seat.name}</span>
              <span className="shrink-0 tabular-nums">
                about {seat.caffeine.caffeine_mg.toFixed(0)} mg
              </span>
            </li>
          ))}
        </ul>
        {adviceFor(session).map((advice) => (
          <p key={advice} className="mt-1 text-small text-quiet">
            {advice}
          </p>
        ))}
        <p className="pt-4 text-small text-quiet">Begun {moment(session.created_at)}.</p>
        <div className="mt-auto grid gap-2 pt-4">
          {unfinished && <p className="text-warn">{unfinished}</p>}
          {close.error && !unfinished && <FieldError>{failureWords(close.error) ?? ""}</FieldError>}
          <Button
            kind="main"
            className="w-full"
            disabled={close.isPending}
            onClick={() => close.mutate(unfinished !== null)}
          >
            {unfinished ? "Close anyway" : "Close and reveal"}
          </Button>
        </div>
      </aside>
    </div>
  );
}

function useClose(id: number) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (incomplete: boolean) =>
      answered(
        client.POST("/api/tastings/{session_id}/close", {
          params: { path: { session_id: id } },
          body: { incomplete },
        }),
      ),
    onSuccess: async (session) => {
      await keepAnswer(queryClient, tastingQuery(id).queryKey, session);
      queryClient.invalidateQueries({ queryKey: tastingsQuery().queryKey, exact: true });
      queryClient.invalidateQueries({ queryKey: ["shots"] });
    },
  });
}

type SeatProgress = TastingSession["seats"][number];

/** The link to a taster's own seat. The secret is in its fragment, which browsers send to no server. */
const placeOf = (session: TastingSession, seat: SeatProgress) =>
  `/table/${session.join_code}/${seat.taster_id}#${seat.secret}`;

/** How each taster's phone finds their place. */
function OnPhones({ session }: { session: TastingSession }) {
  const phones = useQuery(phonesQuery());
  const address = phones.data?.address;
  const there = `${address ?? window.location.origin}/table/${session.join_code}`;
  return (
    <section className="mt-3 rounded-sm border border-rule bg-sheet px-4 py-3" aria-label="Phones">
      <h2>On other phones</h2>
      <p className="mt-1 break-all">
        <a className={styles.word} href={there}>
          {there}
        </a>
      </p>
      <p className="mt-1 text-small text-quiet">
        {address
          ? "Each taster opens their own link with the camera, or this address, picks their name and types their code. Phones can open nothing else of Vapocline."
          : "This address works on this computer only. To taste on phones in the same network, start Vapocline with --phones. Here, tasters can take turns with “Taste here”."}
      </p>
      <ul className="mt-3 grid grid-cols-[repeat(auto-fill,_minmax(132px,_1fr))] gap-3">
        {session.seats.map((seat) => (
          <li key={seat.taster_id} className="min-w-0">
            {address && (
              <img
                className="mb-1 size-[124px] rounded-sm"
                src={`/api/tastings/${session.id}/seats/${seat.taster_id}/link.svg`}
                alt={`Link of ${seat.name}`}
              />
            )}
            <b className="block truncate">{seat.name}</b>
            <span className="font-mono">{inGroups(seat.secret)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Cups that do not count, each with a button to put it back. */
function Withdrawn({ session }: { session: TastingSession }) {
  const change = useWithdraw(session.id);
  if (session.withdrawn.length === 0) return null;
  return (
    <section className="mt-3" aria-label="Withdrawn cups">
      <h2>Withdrawn</h2>
      <ul>
        {session.withdrawn.map((cup) => (
          <li key={cup.number} className="flex items-center gap-2 py-1">
            <span className="font-mono">{cup.code ?? `cup ${cup.number}`}</span> {cup.reason}
            <Button onClick={() => change.mutate({ cup: cup.number, reason: null })}>
              Put it back
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}

function useWithdraw(id: number) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (said: { cup: number; reason: string | null }) =>
      answered(
        client.PUT("/api/tastings/{session_id}/cups/{cup}/withdrawn", {
          params: { path: { session_id: id, cup: said.cup } },
          body: { reason: said.reason },
        }),
      ),
    onSuccess: (session) => keepAnswer(queryClient, tastingQuery(id).queryKey, session),
  });
}

const REASONS = ["spilt", "mixed up", "gone cold"];

/** Leave a cup out, by the code on it. */
function Withdraw({ session }: { session: TastingSession }) {
  const [code, setCode] = useState("");
  const [reason, setReason] = useState("");
  const change = useWithdraw(session.id);
  const sheet = useQuery({ ...servingQuery(session.id), enabled: code.length === 3 });
  const cup = sheet.data?.cups.find((one) => one.code === code);
  if (!session.blind) return null;
  return (
    <Drop words="Withdraw a cup">
      {(close) => (
        <form
          className="grid gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (cup) change.mutate({ cup: cup.number, reason }, { onSuccess: close });
          }}
        >
          <p className="text-quiet">Its scores are kept, but do not count.</p>
          <TextLine label="Its code" value={code} most={3} onChange={setCode} />
          {code.length === 3 && sheet.data && !cup && (
            <FieldError>{`Code: got ${code}; takes the code of a cup on this table`}</FieldError>
          )}
          <Reason usual={REASONS} value={reason} onChange={setReason} />
          {change.error && <FieldError>{failureWords(change.error) ?? ""}</FieldError>}
          <Button type="submit" disabled={!cup || reason.trim() === "" || change.isPending}>
            Withdraw it
          </Button>
        </form>
      )}
    </Drop>
  );
}

/** Remove a tasting. */
export function RemoveSession({ session }: { session: TastingSession }) {
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const remove = useMutation({
    mutationFn: () =>
      answered(
        client.DELETE("/api/tastings/{session_id}", {
          params: { path: { session_id: session.id } },
        }),
      ),
    onSuccess: async () => {
      navigate("/taste/together");
      await queryClient.invalidateQueries({ queryKey: tastingsQuery().queryKey, exact: true });
      queryClient.invalidateQueries({ queryKey: ["shots"] });
    },
  });
  return (
    <Drop words="Remove">
      {() => (
        <div className="grid gap-2">
          <p>Remove this tasting with all its scores? The shots stay.</p>
          {remove.error && <FieldError>{failureWords(remove.error) ?? ""}</FieldError>}
          <Button disabled={remove.isPending} onClick={() => remove.mutate()}>
            Remove it
          </Button>
        </div>
      )}
    </Drop>
  );
}
