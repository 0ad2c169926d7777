import { useMutation, useMutationState, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import {
  ApiError,
  answered,
  type ChoiceSaid,
  client,
  type RemarkSaid,
  type ScoreSaid,
  type Seat,
} from "../../../api/client";
import { seatQuery } from "../../../api/queries";
import { useTableNews } from "../../../api/useTableNews";

/** An answer that the server does not have yet. */
type Said =
  | { kind: "score"; at: number; said: Omit<ScoreSaid, "ago_s"> }
  | { kind: "remark"; at: number; said: RemarkSaid }
  | { kind: "choice"; at: number; said: ChoiceSaid };

const LONGEST_AGO_S = 3600;

function keyOf(one: Said) {
  const { kind, said } = one;
  if (kind === "choice") return `${kind}-${said.round}-${said.question}`;
  const line = kind === "score" ? said.line : "";
  return `${kind}-${said.cup}-${said.warmth}-${line}`;
}

/**
 * A taster's place. An answer shows at once and is kept in this browser until the server has it, so
 * that a reload or a lost connection loses nothing.
 */
export function useSeat(join: string, tasterId: number, secret: string) {
  const seat = useQuery(seatQuery(join, tasterId, secret));
  const open = seat.data?.state !== "closed";
  useTableNews(join, open);
  const store = `vapocline.table.${join}.${tasterId}`;
  const [waiting, setWaiting] = useState<Said[]>(() => kept(store));
  const queryClient = useQueryClient();
  const send = useMutation({
    mutationKey: [store],
    scope: { id: store }, // one after the other, in the order in which they were said
    mutationFn: (one: Said) => sent(join, tasterId, secret, one),
    retry: (_count, error) => isPassing(error),
    retryDelay: 1500,
    onSettled: async (_nothing, _error, one) => {
      await queryClient.invalidateQueries({ queryKey: seatQuery(join, tasterId, secret).queryKey });
      setWaiting((old) =>
        keep(
          store,
          old.filter((other) => other !== one),
        ),
      );
    },
  });
  const { mutate } = send;
  // The one that fails need not be the last said: those after it queue behind it.
  const failures = useMutationState({
    filters: { mutationKey: [store], status: "pending" },
    select: (one) => one.state.failureReason,
  });
  const unsent = useRef(waiting);
  // What lay here when the page opened is sent first.
  useEffect(() => {
    for (const one of unsent.current) mutate(one);
    unsent.current = [];
  }, [mutate]);
  const say = (one: Said) => {
    setWaiting((old) => keep(store, [...old.filter((other) => keyOf(other) !== keyOf(one)), one]));
    mutate(one);
  };
  return {
    query: seat,
    seat: seat.data && waiting.reduce(withSaid, seat.data),
    say,
    waiting: waiting.length > 0,
    away: failures.some(isPassing),
    refused: isPassing(send.error) ? null : send.error,
  };
}

/** Not reached, or the server cannot just now: it is tried again, and nothing is dropped. */
function isPassing(error: Error | null) {
  if (!(error instanceof ApiError)) return false;
  return error.status === 0 || error.status === 429 || error.status >= 500;
}

export type SayAnything = ReturnType<typeof useSeat>["say"];

function kept(store: string): Said[] {
  return JSON.parse(localStorage.getItem(store) ?? "[]");
}

function keep(store: string, waiting: Said[]) {
  if (waiting.length) localStorage.setItem(store, JSON.stringify(waiting));
  else localStorage.removeItem(store);
  return waiting;
}

async function sent(join: string, tasterId: number, secret: string, one: Said) {
  const params = {
    path: { join_code: join, taster_id: tasterId },
    header: { "Vapocline-Seat": secret },
  };
  if (one.kind === "score") {
    const ago_s = Math.min(LONGEST_AGO_S, Math.max(0, (Date.now() - one.at) / 1000));
    const body = { ...one.said, ago_s };
    await answered(client.PUT("/api/tables/{join_code}/seats/{taster_id}/score", { params, body }));
  } else if (one.kind === "remark") {
    await answered(
      client.PUT("/api/tables/{join_code}/seats/{taster_id}/remark", {
        params,
        body: one.said,
      }),
    );
  } else {
    await answered(
      client.PUT("/api/tables/{join_code}/seats/{taster_id}/choice", {
        params,
        body: one.said,
      }),
    );
  }
}

/** The place as it will be once an answer is stored. */
function withSaid(seat: Seat, one: Said): Seat {
  if (one.kind === "score") {
    const { cup, warmth, line, points, stirred } = one.said;
    const others = seat.scores.filter(
      (s) => s.cup !== cup || s.warmth !== warmth || s.line !== line,
    );
    if (points === null) return { ...seat, scores: others };
    return { ...seat, scores: [...others, { cup, warmth, line, points, stirred }] };
  }
  if (one.kind === "remark") {
    const { cup, warmth, words, notes } = one.said;
    const others = seat.remarks.filter((r) => r.cup !== cup || r.warmth !== warmth);
    return { ...seat, remarks: [...others, { cup, warmth, words, notes }] };
  }
  const { round, question, places } = one.said;
  const others = seat.choices.filter((c) => c.round !== round || c.question !== question);
  return { ...seat, choices: [...others, { round, question, places }] };
}
