import { on, safely } from "./safe";
import { follow, own, trial } from "./settings";

export type Hit = { id: string; at: string } & Record<string, unknown>;

const KEY = "uc_waiting";
const MOST_KEPT = 200;
const MOST_SENT = 20;
const MOST_CHARACTERS = 48000;
const OLDEST = 86000000;

/**
 * Hits wait here until the collector has said that they are safe. They are kept in the browser's storage meanwhile, so that what a page could
 * not send before it went away is sent by the next one, with the same ids: the collector stores each id once.
 */
export class Queue {
  private waiting: Hit[] = [];
  private under_way = false;
  private pause = 1000;

  constructor(
    private readonly address: string,
    private readonly key: string,
    private readonly keeps: boolean,
  ) {
    const young = (hit: Hit) => Date.now() - Date.parse(hit.at) < OLDEST;
    if (keeps) this.waiting = (safely(() => JSON.parse(localStorage.getItem(this.name()) ?? "[]") as Hit[])() ?? []).filter(young);
    on(document, "visibilitychange", () => document.visibilityState === "hidden" && this.leave());
    on(window, "pagehide", () => this.leave());
    on(window, "online", () => void this.send());
  }

  /** Take a hit and send it soon. */
  add(hit: Hit): void {
    this.waiting.push(hit);
    this.keep();
    setTimeout(() => void this.send(), 0);
  }

  private name(): string {
    return `${KEY}_${this.key}`;
  }

  /** Let go of all that waits. */
  clear(): void {
    this.waiting = [];
    this.keep();
  }

  private keep(): void {
    if (this.keeps)
      safely(() => {
        if (this.waiting.length) localStorage.setItem(this.name(), JSON.stringify(this.waiting.slice(-MOST_KEPT)));
        else localStorage.removeItem(this.name());
      })();
  }

  /** The next hits that fit into one body. */
  private next(): [Hit[], string] {
    const batch = this.waiting.slice(0, MOST_SENT);
    let body = JSON.stringify(batch);
    while (batch.length > 1 && body.length > MOST_CHARACTERS) {
      batch.splice(Math.ceil(batch.length / 2));
      body = JSON.stringify(batch);
    }
    return [batch, body];
  }

  private url(): string {
    const mine = trial() || own();
    const token = follow();
    const marks = (mine ? `&own=${mine}` : "") + (token ? `&follow=${token}` : "");
    return `${this.address}?site=${encodeURIComponent(this.key)}&sent=${Date.now()}${marks}`;
  }

  async send(): Promise<void> {
    if (this.under_way || !this.waiting.length) return;
    this.under_way = true;
    const [batch, body] = this.next();
    const done = await this.post(body);
    this.under_way = false;
    if (done) {
      this.pause = 1000;
      this.drop(batch);
      void this.send();
    } else {
      setTimeout(() => void this.send(), this.pause);
      this.pause = Math.min(this.pause * 2, 60000);
    }
  }

  /** Whether the collector has dealt with the body: stored it, or refused it for good. */
  private async post(body: string): Promise<boolean> {
    try {
      const headers = { "Content-Type": "text/plain" };
      const answer = await fetch(this.url(), { method: "POST", body, headers, keepalive: true, credentials: "omit" });
      return answer.status < 500 && answer.status !== 429;
    } catch {
      return false;
    }
  }

  private drop(batch: Hit[]): void {
    const gone = new Set(batch.map((hit) => hit.id));
    this.waiting = this.waiting.filter((hit) => !gone.has(hit.id));
    this.keep();
  }

  /** The page may go away: hand everything to the browser. It stays kept until a later page hears that it is safe. */
  private leave(): void {
    const all = this.waiting;
    while (this.waiting.length) {
      const [batch, body] = this.next();
      this.waiting = this.waiting.slice(batch.length);
      safely(() => navigator.sendBeacon(this.url(), new Blob([body], { type: "text/plain" })))();
    }
    this.waiting = all;
    this.keep();
  }
}
