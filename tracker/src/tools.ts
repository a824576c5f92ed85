import type { Rule } from "./rules/data";

export type Props = Record<string, string | number | boolean>;

/** What a part of the script works with. A part is sent only to sites that use it, and knows of the script no more than this. */
export interface Tools {
  /** What the site's settings say to the parts. */
  given: Given;
  on: (target: EventTarget, kind: string, run: (event: Event) => void, capture?: boolean) => void;
  /** Tell of something that the script found out by itself, unless the element is marked with that very name and so tells it already. */
  tell: (name: string, props: Props, element?: Element) => void;
  /** After each view. */
  viewed: (run: () => void) => void;
  /** When an element is clicked, with any button that follows a link. */
  clicked: (run: (element: Element) => void) => void;
  /** When the page may go away. */
  leaving: (run: () => void) => void;
  /** Before each view is told. */
  arriving: (run: () => void) => void;
  /** After each hit that moves the visit's end. */
  sent: (run: () => void) => void;
  /** When the page calls `uc.signal`. */
  signalled: (run: (name: string) => void) => void;
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

export interface Given {
  hosts?: string[];
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
