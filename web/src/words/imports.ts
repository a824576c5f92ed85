import type { Schemas } from "@/api/client";
import { plural } from "@/words/format";

export type Preview = Schemas["FilePreviewOut"];
export type PreviewLine = Schemas["FilePreviewLine"];
export type ListedImport = Schemas["ListedImport"];
export type LogReading = Schemas["LogReading"];
export type LogField = Schemas["LogFieldOut"]["meaning"];

export const FORMATS: Record<NonNullable<ListedImport["format"]>, string> = {
  "json lines": "hits as JSON Lines",
  ncsa: "a server log (NCSA)",
  w3c: "a server log (W3C extended)",
};

/** What a field of a log can be taken for. */
export const FIELDS: Record<LogField, string> = {
  nothing: "nothing",
  address: "visitor’s address",
  agent: "user agent",
  date: "day",
  time: "time",
  method: "method",
  host: "host",
  stem: "path of the page",
  query: "query of the page",
  status: "status",
  referrer: "referrer",
};

export const BECOMES: Record<PreviewLine["becomes"], string> = {
  page: "a page",
  file: "a download",
  event: "an event",
  nothing: "nothing",
  refused: "refused",
};

const listed = new Intl.ListFormat("en-GB");

/** What the first lines of a file would become, in a sentence. */
export function previewWords(name: string, { format, lines, trouble }: Preview): string {
  if (!lines.length) return `${name} holds no line.`;
  const begins = `${name} is ${FORMATS[format]}. Of its first ${plural(lines.length, "line")}`;
  if (trouble) return `${name} is ${FORMATS[format]}, and cannot be read as it is: ${trouble}.`;
  const count = (becomes: PreviewLine["becomes"]) => lines.filter((line) => line.becomes === becomes).length;
  const parts = [
    count("page") && plural(count("page"), "page view"),
    count("file") && plural(count("file"), "download"),
    count("event") && plural(count("event"), "event"),
    count("nothing") &&
      `${count("nothing")} that ${format === "json lines" ? "are empty or only belong to a page" : "only belong to a page, or failed"}`,
    count("refused") && `${count("refused")} that ${count("refused") === 1 ? "is" : "are"} refused`,
  ].filter((one) => one !== 0);
  const robots = lines.filter((line) => line.robot).length;
  return `${begins}: ${listed.format(parts)}.${robots ? ` ${plural(robots, "line")} by robots, which reports leave out.` : ""}`;
}

/** How an import stands. */
export function stateWords({ state, read, size }: ListedImport): string {
  return state === "running" ? `running, ${size ? Math.floor((100 * read) / size) : 0} %` : state;
}

/** What an import brought, in a sentence. */
export function broughtWords({
  name,
  stored,
  already_there,
  bad,
  lines,
}: Pick<ListedImport, "stored" | "already_there" | "bad" | "lines"> & { name: string }): string {
  const rest = [
    already_there && `${plural(already_there, "hit was", "hits were")} there already`,
    bad && `${plural(bad, "line was", "lines were")} refused`,
  ].filter((one) => one !== 0);
  return [`${name}: ${plural(stored, "hit")} from ${plural(lines, "line")}.`, rest.length ? `${listed.format(rest)}.` : ""]
    .join(" ")
    .trim();
}

/** Endings and names as they are typed: with blanks or commas between. */
export const typedWords = (text: string): string[] => [
  ...new Set(
    text
      .toLowerCase()
      .split(/[\s,;]+/)
      .map((one) => one.replace(/^\./, ""))
      .filter(Boolean),
  ),
];
