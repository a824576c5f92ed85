import type { Tools } from "../tools";
import type { Value } from "./data";

const MOST = 1000;

/** The text of an element as it is read; never what a visitor typed. */
export const words = (element: Element): string => (element.textContent ?? "").replace(/\s+/g, " ").trim();

/** The first value of a key of the query that is not empty. */
export const query = (address: string, key: string): string => new URL(address).searchParams.getAll(key).find((one) => one.trim()) ?? "";

function cookie({ doc, safely }: Tools, key: string): string {
  const found =
    doc("cookie")
      .split("; ")
      .find((one) => one.startsWith(`${key}=`)) ?? "";
  const text = found.slice(key.length + 1);
  return safely(decodeURIComponent)(text) ?? text;
}

function variable(path: string): string {
  let at: unknown = window;
  for (const name of path.split(".")) at = at == null ? at : (at as Record<string, unknown>)[name];
  return ["string", "number", "boolean"].includes(typeof at) ? String(at) : "";
}

function given(tools: Tools, value: Value, element?: Element): string {
  switch (value.kind) {
    case "fixed":
      return value.text;
    case "query":
      return query(tools.address(), value.key);
    case "cookie":
      return cookie(tools, value.key);
    case "variable":
      return variable(value.path);
    case "source":
      return tools.visit?.source()?.[value.part] ?? "";
    default: {
      const found = value.selector ? document.querySelector(value.selector) : element;
      return !found ? "" : value.attribute ? (found.getAttribute(value.attribute) ?? "") : words(found);
    }
  }
}

/** A value as text; empty where there is none. */
export const read = (tools: Tools, value: Value, element?: Element): string => given(tools, value, element).slice(0, MOST);

/** A text as a number: a plain one, else one such as `1.234,50 €`, whose last sign with one or two digits behind it divides. */
export function number(text: string): number | undefined {
  const plain = text.trim();
  if (/^-?\d+(\.\d+)?$/.test(plain)) return +plain;
  const [, minus, whole, part] = /^\D*?(-?)(\d[\d.,\s'’]*?)(?:[.,](\d{1,2}))?\D*$/.exec(plain) ?? [];
  return whole ? +`${minus}${whole.replace(/\D/g, "")}.${part ?? 0}` : undefined;
}
