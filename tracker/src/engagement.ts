import { on } from "./safe";

const LEAST = 500;
const EVERY = 60000;

/** Counts the time that the page is visible, and tells it in parts: when the page is hidden, and every minute. */
export class Engagement {
  private since: number | null = null;
  private total = 0;

  constructor(private readonly tell: (milliseconds: number) => void) {
    this.look();
    on(document, "visibilitychange", () => this.look(), true);
    on(window, "pagehide", () => this.flush(), true);
    setInterval(() => this.total + this.running() >= EVERY && this.flush(), 5000);
  }

  private running(): number {
    return this.since === null ? 0 : performance.now() - this.since;
  }

  private look(): void {
    this.total += this.running();
    this.since = document.visibilityState === "visible" ? performance.now() : null;
    if (this.since === null) this.flush();
  }

  /** Tell what has come together since the last time. */
  flush(): void {
    const spent = Math.round(this.total + this.running());
    this.total = 0;
    if (this.since !== null) this.since = performance.now();
    if (spent >= LEAST) this.tell(Math.min(spent, 86400000));
    else this.total = spent;
  }
}
