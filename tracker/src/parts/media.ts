import type { Part, Props, Tools } from "../tools";

const MARKS = [25, 50, 75];
const WORTH_TELLING = 5;

interface Watched {
  media: string;
  play: () => void;
  /** Where it plays; told when a quarter is passed. */
  time: (position: number, duration: number) => void;
  /** It was paused, or the page goes away. */
  rest: () => void;
  end: () => void;
}

/** One video or audio, or one player in a frame: told when it starts, at each quarter, where it is left, and at the end. */
function watch(tell: Tools["tell"], media: string, title: string, element: Element): Watched {
  let at = 0;
  let mark = 0;
  let told = 0;
  let length = 0;
  let begun = false;
  const say = (name: string, props: Props): void => tell(name, { media, title: title || undefined, ...props } as Props, element);
  const progress = (percent: number | null): void => {
    told = at;
    say("media progress", {
      position_s: Math.round(at),
      // What is not known is none in JSON.
      duration_s: Math.round(length) || undefined,
      percent: percent ?? undefined,
    } as Props);
  };
  return {
    media,
    play: () => {
      if (!begun) say("media start", {});
      begun = true;
    },
    time: (position, duration) => {
      if (!begun || !(position >= 0)) return;
      at = position;
      length = isFinite(duration) && duration > 0 ? duration : 0;
      const passed = MARKS.filter((one) => length && position >= (length * one) / 100).pop() ?? 0;
      if (passed > mark) {
        mark = passed;
        progress(mark);
      }
    },
    rest: () => {
      if (begun && Math.abs(at - told) >= WORTH_TELLING) progress(length ? Math.min(Math.floor((at / length) * 100), 99) : null);
    },
    end: () => {
      if (!begun) return;
      at = length || at;
      progress(100);
      begun = false;
      mark = told = 0;
    },
  };
}

interface Message {
  uc_player?: string;
  media?: string;
  title?: string;
  position?: number;
  duration?: number;
}

/** HTML video and audio, and players in frames that say what they do by `postMessage`. */
const media: Part = ({ given, on, tell, leaving, safely }) => {
  const fileOf = (url: string): string => {
    const file = (url.split(/[?#]/)[0] as string).split("/").pop() as string;
    return safely(decodeURIComponent)(file) ?? file;
  };
  const known = new Map<Element, Watched>();
  const watched = (element: Element, name: string, title: string): Watched => {
    const media = element.getAttribute("data-uc-media") || name || "media";
    let one = known.get(element);
    if (one?.media !== media) known.set(element, (one = watch(tell, media, title, element)));
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
