/** Rules as the server writes them: data, of which nothing is ever run. */
export type Value =
  | { kind: "fixed"; text: string }
  | { kind: "query" | "cookie"; key: string }
  | { kind: "element"; selector?: string; attribute?: string }
  | { kind: "variable"; path: string }
  | { kind: "source"; part: string };

export type When =
  | { kind: "page shown" | "leaving" }
  | { kind: "clicked"; selector?: string; text?: string }
  | { kind: "form sent"; selector?: string }
  | { kind: "in view"; selector: string }
  | { kind: "seconds passed"; seconds: number }
  | { kind: "scrolled"; percent: number }
  | { kind: "signalled"; name: string };

export type Condition =
  | { kind: "page" | "host" | "referrer"; test: string; value: string }
  | { kind: "query" | "field"; key: string; test: string; value: string }
  | { kind: "device"; devices: string[] }
  | { kind: "visitor"; visitor: string }
  | { kind: "share"; percent: number };

export type Action =
  | { kind: "event"; name: string; props?: { key: string; value: Value }[]; value?: Value }
  | { kind: "goal"; name: string; value?: Value }
  | { kind: "field"; key: string; value: Value }
  | { kind: "html"; html: string; place: string; selector: string; refused?: boolean };

export interface Rule {
  id: string;
  name?: string;
  paused?: boolean;
  when: When;
  only_if?: Condition[];
  then: Action[];
}

/** What whoever tries rules out is told: what a rule did, or which condition did not hold and what was there instead. */
export interface Watch {
  did: (rule: Rule, action: Action, what: string) => void;
  held_back: (rule: Rule, condition: Condition, found: string) => void;
}
