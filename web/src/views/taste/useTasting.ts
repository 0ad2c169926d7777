import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { ApiError, answered, client, type Shot, type Tasting } from "../../api/client";
import { shotsQuery } from "../../api/queries";

type Warmth = Tasting["warmth"];
type Served = Tasting["served"];

const PAUSE_MS = 300;

function blank(warmth: Warmth, served: Served): Tasting {
  return { warmth, served, words: [], notes: "" };
}

function stored(shot: Shot, warmth: Warmth, served: Served): Tasting | undefined {
  const found = shot.tastings.find(
    (one) => one.quick && one.warmth === warmth && one.served === served,
  );
  if (!found) return undefined;
  const ofSession = ["session_id", "taster", "quick", "blind", "age_s", "stirred", "changed_at"];
  const said = Object.entries(found).filter(([field]) => !ofSession.includes(field));
  return Object.fromEntries(said) as unknown as Tasting;
}

/** Whether a cup's form says nothing at all. */
export function saysNothing({ warmth: _w, served: _s, notes, words, ...scores }: Tasting) {
  const silent = notes.trim() === "" && words.length === 0;
  return silent && Object.values(scores).every((score) => score == null);
}

/**
 * One cup's form. It saves by itself after a short pause; until the server has it, it lies in this
 * browser, so that a reload or a lost connection loses nothing.
 */
export function useTasting(shot: Shot, warmth: Warmth, served: Served) {
  const key = `vapocline.tasting.${shot.id}.${warmth}.${served}`;
  const [tasting, setTasting] = useState<Tasting>(() => {
    const kept = localStorage.getItem(key);
    return kept ? JSON.parse(kept) : (stored(shot, warmth, served) ?? blank(warmth, served));
  });
  const queryClient = useQueryClient();
  const save = useMutation({
    scope: { id: key }, // one after the other, so that the newest is written last
    mutationFn: async (said: Tasting) => {
      const path = { shot_id: shot.id };
      if (!saysNothing(said)) {
        await answered(
          client.PUT("/api/shots/{shot_id}/tasting", { params: { path }, body: said }),
        );
      } else {
        await answered(
          client.DELETE("/api/shots/{shot_id}/tasting/{warmth}/{served}", {
            params: { path: { ...path, warmth, served } },
          }),
        );
      }
    },
    retry: (_count, error) => error instanceof ApiError && error.status === 0,
    retryDelay: 1500,
    onSuccess: (_nothing, said) => {
      if (localStorage.getItem(key) === JSON.stringify(said)) localStorage.removeItem(key);
      queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey });
    },
  });

  const unsent = useRef<Tasting | null>(localStorage.getItem(key) ? tasting : null);
  const { mutate } = save;
  const send = useRef(() => {});
  send.current = () => {
    if (!unsent.current) return;
    mutate(unsent.current);
    unsent.current = null;
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: the pause starts again at every change
  useEffect(() => {
    const timer = setTimeout(() => send.current(), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [tasting]);
  useEffect(() => () => send.current(), []);

  const say = (part: Partial<Tasting>) => {
    const next = { ...tasting, ...part };
    localStorage.setItem(key, JSON.stringify(next));
    unsent.current = next;
    setTasting(next);
  };
  return { tasting, say, save, waiting: unsent.current !== null || save.isPending };
}
