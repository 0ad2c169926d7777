import { useCallback, useEffect, useReducer, useRef, useState } from "react";
import type { Shot } from "./client";
import { closeSocket } from "./useNews";

export type LiveTraces = Shot["traces"];
type ShotEvent = Shot["events"][number];

export interface Live {
  traces: LiveTraces;
  events: ShotEvent[];
  state: string;
  /** The page that commands the shot, once told; undefined before anything was. */
  commander: string | null | undefined;
  connected: boolean;
  /**
   * Stop the shot over the line that is open anyway: no request waits before it. Gives the machine's
   * reason where it refuses; fails where the line is away or says nothing.
   */
  stop: () => Promise<string | null>;
}

const RETRY_MS = 1000;
const STOP_ANSWER_MS = 800;

function noTraces(): LiveTraces {
  return {
    time_s: [],
    pressure_bar: [],
    water_in_ml_s: [],
    cup_out_ml_s: [],
    cup_g: [],
    group_c: [],
    commanded: [],
    phase: [],
    by_hand: [],
  };
}

/**
 * A shot as it runs. The line always begins with all that is stored, so after a break nothing is
 * missing and nothing is doubled. However often news come, the page is drawn once a frame.
 */
export function useLive(shotId: number, running: boolean): Live {
  const traces = useRef(noTraces());
  const events = useRef<ShotEvent[]>([]);
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  const [state, setState] = useState("running");
  const [commander, setCommander] = useState<string | null>();
  const [connected, setConnected] = useState(true);
  const line = useRef<WebSocket>(undefined);
  const stopped = useRef<(refusal: string | null) => void>(undefined);

  const stop = useCallback(
    () =>
      new Promise<string | null>((resolve, reject) => {
        if (line.current?.readyState !== WebSocket.OPEN) return reject(new Error("away"));
        stopped.current = resolve;
        setTimeout(() => reject(new Error("silent")), STOP_ANSWER_MS);
        line.current.send(JSON.stringify({ do: "stop" }));
      }),
    [],
  );

  useEffect(() => {
    if (!running) return;
    let over = false;
    let timer: ReturnType<typeof setTimeout> | undefined;
    let frame: number | undefined;
    let socket: WebSocket;

    const drawSoon = () => {
      frame ??= requestAnimationFrame(() => {
        frame = undefined;
        redraw();
      });
    };
    const connect = () => {
      let first = true;
      socket = new WebSocket(address(shotId));
      line.current = socket;
      socket.onmessage = (message) => {
        const news = JSON.parse(message.data);
        if ("stop" in news) {
          stopped.current?.(news.stop);
          return;
        }
        if (news.state) {
          over = true;
          setState(news.state);
          return;
        }
        if (news.commander !== undefined) {
          setCommander(news.commander);
          return;
        }
        if (first) {
          traces.current = noTraces();
          events.current = [];
          first = false;
          setConnected(true);
        }
        for (const [name, values] of Object.entries(news.columns ?? {})) {
          (traces.current[name as keyof LiveTraces] as unknown[])?.push(...(values as unknown[]));
        }
        events.current.push(...(news.events ?? []));
        drawSoon();
      };
      socket.onclose = (event) => {
        if (over || event.code === 4404) return;
        setConnected(false);
        timer = setTimeout(connect, RETRY_MS);
      };
    };
    connect();
    return () => {
      over = true;
      clearTimeout(timer);
      if (frame !== undefined) cancelAnimationFrame(frame);
      closeSocket(socket);
    };
  }, [shotId, running]);

  return { traces: traces.current, events: events.current, state, commander, connected, stop };
}

function address(shotId: number) {
  const scheme = window.location.protocol === "https:" ? "wss" : "ws";
  return `${scheme}://${window.location.host}/api/shots/${shotId}/live`;
}
