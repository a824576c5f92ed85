import type { doc } from "./dom";
import type { bare, owns } from "./identity";
import type { json } from "./json";
import type { Rule } from "./rules/data";
import type { safely } from "./safe";

export type Props = Record<string, string | number | boolean>;

/** What a part can wait for. */
export interface Moments {
  /** Before a view is told, and after it was. */
  arriving: undefined;
  viewed: undefined;
  /** The address changed, and the page, as it is counted, did not. */
  moved: undefined;
  /** An element was clicked, with any button that follows a link. */
  clicked: Element;
  /** After a hit that moves the visit's end. */
  sent: undefined;
  /** The page called `uc.signal`. */
  signalled: string;
}
export type Moment = keyof Moments;

/** What a part of the script works with. A part is sent only to sites that use it, and knows of the script no more than this. */
export interface Tools {
  /** What the site's settings say to the parts. */
  given: PartSettings;
  on: (target: EventTarget, kind: string, run: (event: Event) => void, capture?: boolean) => void;
  /** What the script is made of itself. */
  safely: typeof safely;
  json: typeof json;
  doc: typeof doc;
  bare: typeof bare;
  owns: typeof owns;
  /** Calls for each element once a view, as soon as it is in the window, or is said to be used; the part `seen` brings it. */
  seen?: (selector: string, run: (element: Element) => void) => ((used: Element) => void) | undefined;
  /** Tell of something that the script found out by itself, unless the element is marked with that very name and so tells it already. */
  tell: (name: string, props: Props, element?: Element) => void;
  when: <M extends Moment>(what: M, run: (told: Moments[M]) => void) => unknown;
  /** Whether another host shares this one's cookie. */
  shares: (host: string) => boolean;
  /** When the page may go away. */
  leaving: (run: () => unknown) => void;
  event: (name: string, props?: Props, value?: number) => void;
  /** Sets a site field for the page under way. */
  field: (name: string, value: string) => void;
  fields: () => Record<string, string>;
  /** The page's address, and the one that it was reached from, as they are counted. */
  address: () => string;
  referrer: () => string;
  visitor: () => string;
  /** Whether the visitor was known before this page. */
  known: boolean;
  /** Whether the browser's storage may be used. */
  keeps: boolean;
  key: string;
  /** Asks the server something below the collector's address. */
  ask: (what: string, body: unknown) => Promise<unknown>;
  /** What is known of the visit, where a rule asks for it. */
  visit?: Visit;
  /** Whether this browser tries out a draft of the rules. */
  trying?: boolean;
}

/** Where a visit came from, as reports have it: source, medium, campaign, content, term, label, channel. */
export type Origin = Record<string, string>;

export interface Visit {
  /** Calls as soon as it is known. */
  known: (run: () => void) => unknown;
  fresh: () => boolean;
  source: () => Origin | undefined;
}

export interface PartSettings {
  searches?: string[];
  players?: string[];
  downloads?: boolean;
  outbound?: boolean;
  rules?: Rule[];
  /** Minutes without a hit after which a visit is over. */
  gap?: number;
}

export type Part = (tools: Tools) => void;

declare global {
  /** Parts that stand before the script put themselves in here. */
  const uc_parts: Part[];
}
