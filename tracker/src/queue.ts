import { hidden } from "./dom";
import { json } from "./json";
import { on, safely } from "./safe";
import { follow, own, trial } from "./settings";

export type Hit = { id: string; at: string } & Record<string, unknown>;

const MAX_KEPT = 200;
const MAX_SENT = 20;
const MAX_CHARACTERS = 48000;
const OLDEST = 86000000;
const SHORTEST = 1000;
const LONGEST = 60000;

export interface Queue {
  /** Take a hit and send it soon. */
  add: (hit: Hit) => void;
  /** Let go of all that waits. */
  clear: () => void;
}

/**
 * Hits wait here until the collector has said that they are safe. They are kept in the browser's storage meanwhile, so that what a page could
 * not send before it went away is sent by the next one, with the same ids: the collector stores each id once.
 */
export function queueOf(address: string, site: string, keeps: boolean): Queue {
  const name = `uc_waiting_${site}`;
  let underWay = false;
  let pause = SHORTEST;
  const young = (hit: Hit): boolean => Date.now() - Date.parse(hit.at) < OLDEST;
  let waiting = (keeps && safely(() => JSON.parse(localStorage.getItem(name) ?? "[]").filter(young) as Hit[])()) || [];

  const keep = safely((): void => {
    if (!keeps) return;
    if (waiting.length) localStorage.setItem(name, json(waiting.slice(-MAX_KEPT)));
    else localStorage.removeItem(name);
  });

  /** The next hits that fit into one body. */
  const next = (): [Hit[], string] => {
    let batch = waiting.slice(0, MAX_SENT);
    let body = json(batch);
    while (batch.length > 1 && body.length > MAX_CHARACTERS) {
      batch = batch.slice(0, batch.length / 2);
      body = json(batch);
    }
    return [batch, body];
  };

  const url = (): string => {
    const marks = { site, sent: Date.now(), own: trial() || own(), follow: follow() };
    const given = Object.entries(marks).filter(([, value]) => value) as [string, string][];
    return `${address}?${new URLSearchParams(given)}`;
  };

  /** Whether the collector has dealt with the body: stored it, or refused it for good. What is too much for now comes again when it says. */
  const post = async (body: string): Promise<boolean> => {
    try {
      const headers = { "Content-Type": "text/plain" };
      const { status, headers: said } = await fetch(url(), { method: "POST", body, headers, keepalive: true, credentials: "omit" });
      pause = Math.max(pause, Math.min(+(said.get("Retry-After") ?? 0) * 1000, LONGEST));
      return status < 500 && status !== 429;
    } catch {
      return false;
    }
  };

  const send = async (): Promise<void> => {
    if (underWay || !waiting.length) return;
    underWay = true;
    const [batch, body] = next();
    const done = await post(body);
    underWay = false;
    if (done) {
      pause = SHORTEST;
      waiting = waiting.filter((hit) => !batch.some((gone) => gone.id === hit.id));
      keep();
      void send();
    } else {
      setTimeout(send, pause);
      pause = Math.min(pause * 2, LONGEST);
    }
  };

  /** The page may go away: hand everything to the browser. It stays kept until a later page hears that it is safe. */
  const leave = (): void => {
    const all = waiting;
    while (waiting.length) {
      const [batch, body] = next();
      waiting = waiting.slice(batch.length);
      safely(() => navigator.sendBeacon(url(), new Blob([body], { type: "text/plain" })))();
    }
    waiting = all;
    keep();
  };

  on(document, "visibilitychange", () => hidden() && leave());
  on(window, "pagehide", leave);
  on(window, "online", send);
  return {
    add: (hit) => {
      waiting.push(hit);
      keep();
      setTimeout(send, 0);
    },
    clear: () => {
      waiting = [];
      keep();
    },
  };
}
