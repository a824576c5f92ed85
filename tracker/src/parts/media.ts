import { safely } from "../safe";
import type { Part, Tools } from "../tools";

const MARKS = [25, 50, 75];
const WORTH_TELLING = 5;

/** One video or audio, or one player in a frame: told when it starts, at each quarter, where it is left, and at the end. */
class Watched {
  private at = 0;
  private mark = 0;
  private told = 0;
  private length = 0;
  private begun = false;

  constructor(
    private readonly tell: Tools["tell"],
    readonly media: string,
    private readonly title: string,
    private readonly element: Element,
  ) {}

  play(): void {
    if (this.begun) return;
    this.begun = true;
    this.say("media start", {});
  }

  /** Where it plays; told when a quarter is passed. */
  time(position: number, duration: number): void {
    if (!this.begun || !(position >= 0)) return;
    this.at = position;
    this.length = isFinite(duration) && duration > 0 ? duration : 0;
    const mark = MARKS.filter((one) => this.length && position >= (this.length * one) / 100).pop() ?? 0;
    if (mark > this.mark) {
      this.mark = mark;
      this.progress(mark);
    }
  }

  /** It was paused, or the page goes away. */
  rest(): void {
    if (this.begun && Math.abs(this.at - this.told) >= WORTH_TELLING)
      this.progress(this.length ? Math.min(Math.floor((this.at / this.length) * 100), 99) : null);
  }

  end(): void {
    if (!this.begun) return;
    this.at = this.length || this.at;
    this.progress(100);
    this.begun = false;
    this.mark = this.told = 0;
  }

  private progress(percent: number | null): void {
    this.told = this.at;
    const position_s = Math.round(this.at);
    this.say("media progress", {
      position_s,
      ...(this.length ? { duration_s: Math.round(this.length) } : {}),
      ...(percent === null ? {} : { percent }),
    });
  }

  private say(name: string, more: Record<string, number>): void {
    this.tell(name, { media: this.media.slice(0, 200), ...(this.title ? { title: this.title.slice(0, 200) } : {}), ...more }, this.element);
  }
}

interface Message {
  uc_player?: string;
  media?: string;
  title?: string;
  position?: number;
  duration?: number;
}

const fileOf = (url: string): string => {
  const file = url.split(/[?#]/)[0]?.split("/").pop() ?? "";
  return safely(decodeURIComponent)(file) ?? file;
};

/** HTML video and audio, and players in frames that say what they do by `postMessage`. */
const media: Part = ({ given, on, tell, leaving }) => {
  const known = new Map<Element, Watched>();
  const watched = (element: Element, name: string, title: string): Watched => {
    const media = element.getAttribute("data-uc-media") || name || "media";
    let one = known.get(element);
    if (one?.media !== media) known.set(element, (one = new Watched(tell, media, title, element)));
    return one;
  };
  const of = ({ target }: Event): [HTMLMediaElement, Watched] | null => {
    const element = target as HTMLMediaElement;
    // What repeats without a sound is decoration.
    if (!(element instanceof HTMLMediaElement) || (element.loop && element.muted)) return null;
    return [element, watched(element, fileOf(element.currentSrc), element.title || (element.getAttribute("aria-label") ?? ""))];
  };
  const listen = (kind: string, run: (one: Watched, element: HTMLMediaElement) => void): void =>
    on(
      document,
      kind,
      (event) => {
        const found = of(event);
        if (found) run(found[1], found[0]);
      },
      true,
    );
  listen("play", (one) => one.play());
  listen("timeupdate", (one, element) => element.ended || one.time(element.currentTime, element.duration));
  listen("pause", (one, element) => element.ended || one.rest());
  listen("ended", (one, element) => {
    one.time(element.currentTime, element.duration);
    one.end();
  });
  on(window, "message", (event) => {
    const { data, origin, source } = event as MessageEvent<unknown>;
    const said = (typeof data === "string" && data.includes("uc_player") ? JSON.parse(data) : data) as Message | null;
    if (!said?.uc_player) return;
    if (origin !== location.origin && !(given.players ?? []).includes(new URL(origin).hostname)) return;
    const frame = Array.from(document.querySelectorAll("iframe")).find((one) => one.contentWindow === source);
    if (!frame) return;
    const one = watched(frame, String(said.media ?? fileOf(frame.src)), String(said.title ?? frame.title));
    if (said.uc_player === "play") one.play();
    if (said.position !== undefined && said.uc_player !== "end") one.time(+said.position, +(said.duration ?? NaN));
    if (said.uc_player === "pause") one.rest();
    if (said.uc_player === "end") one.end();
  });
  leaving(() => known.forEach((one) => one.rest()));
};

uc_parts.push(media);
