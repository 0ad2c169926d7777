import { useCallback, useRef, useState } from "react";
import {
  ApiError,
  answered,
  client,
  LOST,
  type Profile,
  type Translation,
  type TranslationAsked,
} from "../../api/client";

export type Gates = NonNullable<TranslationAsked["gates"]>;

type Told =
  | { is: "progress"; share: number; distance: number; profile: Profile }
  | { is: "done"; translation: Translation }
  | { is: "failed"; message: string };

interface State {
  searching: boolean;
  share: number;
  distance?: number;
  /** The nearest program so far. */
  best?: Profile;
  translation?: Translation;
  /** The machine it was translated for. */
  target?: number;
  error: Error | null;
}

const NOTHING: State = { searching: false, share: 0, error: null };

/** A search on the server, told line by line; leaving the line stops it. */
export function useTranslating() {
  const [state, setState] = useState<State>(NOTHING);
  const running = useRef<AbortController>(undefined);
  const asked = useRef<TranslationAsked>(undefined);

  const stop = useCallback(() => running.current?.abort(), []);
  const start = useCallback((what: TranslationAsked) => {
    running.current?.abort();
    const mine = new AbortController();
    running.current = mine;
    asked.current = what;
    const set = (more: Partial<State>) => {
      if (running.current === mine)
        setState((old) => ({ ...old, ...more, target: what.machine_id }));
    };
    setState({ ...NOTHING, searching: true });
    follow(what, mine.signal, set).catch((error: Error) => {
      if (!mine.signal.aborted) set({ searching: false, error });
    });
  }, []);

  /** End the search with the nearest program so far. */
  const finish = useCallback(async () => {
    const [what, translated] = [asked.current, state.best];
    if (!what || !translated) return;
    const mine = running.current;
    mine?.abort();
    // Another search may have begun meanwhile: what comes of this one is then not wanted.
    const set = (next: State) => running.current === mine && setState(next);
    try {
      const translation = await answered(
        client.POST("/api/translations/compared", { body: { ...what, translated } }),
      );
      set({ ...NOTHING, translation, target: what.machine_id });
    } catch (error) {
      set({ ...NOTHING, error: error as Error });
    }
  }, [state.best]);
  return { ...state, start, stop, finish };
}

async function follow(
  what: TranslationAsked,
  signal: AbortSignal,
  set: (more: Partial<State>) => void,
) {
  const stream = await answered(
    client.POST("/api/translations", { body: what, parseAs: "stream", signal }),
  );
  if (!stream) throw new ApiError(0, LOST, []);
  for await (const line of linesOf(stream as unknown as ReadableStream<Uint8Array>)) {
    const told: Told = JSON.parse(line);
    if (told.is === "progress")
      set({ share: told.share, distance: told.distance, best: told.profile });
    else if (told.is === "done") set({ searching: false, translation: told.translation });
    else throw new ApiError(500, told.message, []);
  }
}

async function* linesOf(stream: ReadableStream<Uint8Array>) {
  const text = new TextDecoderStream() as ReadableWritablePair<string, Uint8Array>;
  const reader = stream.pipeThrough(text).getReader();
  let rest = "";
  while (true) {
    const { done, value } = await reader.read();
    if (done) break;
    const lines = (rest + value).split("\n");
    rest = lines.pop() ?? "";
    yield* lines;
  }
  if (rest) yield rest;
}
