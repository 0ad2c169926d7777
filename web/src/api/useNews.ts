import { useEffect, useRef } from "react";

const RETRY_MS = 1000;

/**
 * What the server says over a socket, for as long as there is a path. A lost connection is made again;
 * the socket sends a message when it opens too, so that nothing is missed after that.
 */
export function useNews(path: string | null, heard: (message: unknown) => void) {
  const latest = useRef(heard);
  latest.current = heard;
  useEffect(() => {
    if (path === null) return;
    let over = false;
    let timer: ReturnType<typeof setTimeout> | undefined;
    let socket: WebSocket;
    const connect = () => {
      const { protocol, host } = window.location;
      socket = new WebSocket(`${protocol === "https:" ? "wss" : "ws"}://${host}${path}`);
      socket.onmessage = (event) => latest.current(JSON.parse(event.data));
      socket.onclose = () => {
        if (!over) timer = setTimeout(connect, RETRY_MS);
      };
    };
    connect();
    return () => {
      over = true;
      clearTimeout(timer);
      closeSocket(socket);
    };
  }, [path]);
}

/** Close a socket; one that is still connecting once it has, since the browser reports that as a fault. */
export function closeSocket(socket: WebSocket) {
  if (socket.readyState === WebSocket.CONNECTING) socket.onopen = () => socket.close();
  else socket.close();
}
