import { useCallback, useState } from "react";

import { keep, readKept } from "@/state/kept";

/** Which columns are shown, in their order, and the widths that were changed. */
export interface Layout {
  shown: string[];
  widths: Record<string, number>;
}

const KEPT = "uc-ledger ";
const isText = (one: unknown): one is string => typeof one === "string";

/** What is kept of a ledger's columns; what makes no sense is left out. */
export function readLayout(text: string | null, usual: readonly string[], known: (id: string) => boolean): Layout {
  try {
    const kept = JSON.parse(text ?? "{}") as { shown?: unknown; widths?: unknown };
    const shown = Array.isArray(kept.shown) ? [...new Set(kept.shown.filter(isText).filter(known))] : [];
    const widths = Object.entries(kept.widths ?? {}).filter(
      (one): one is [string, number] => known(one[0]) && Number.isFinite(one[1]) && one[1] >= 40 && one[1] <= 1200,
    );
    return { shown: shown.length ? shown : [...usual], widths: Object.fromEntries(widths) };
  } catch {
    return { shown: [...usual], widths: {} };
  }
}

/** The layout of the ledger of this name, kept in the browser. `usual`: what is shown before anything was chosen; `known`: what can be. */
export function useLayout(name: string, usual: readonly string[], known: (id: string) => boolean) {
  const [text, setText] = useState(() => readKept(KEPT + name));
  const layout = readLayout(text, usual, known);
  const set = useCallback(
    (to: Layout | null) => {
      const written = to && JSON.stringify(to);
      setText(written);
      keep(KEPT + name, written);
    },
    [name],
  );
  return { layout, isUsual: text === null, set };
}
