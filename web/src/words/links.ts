import type { Schemas } from "@/api/client";
import { partOfAll, type SegmentPart } from "@/api/figures";

export type LinkDraft = Schemas["LinkDraft"];
export type BuiltLink = Schemas["LinkAnswer"];
export type KeptLink = Schemas["LinkOut"];
export type Remark = Schemas["Remark"];

export const TAGS = ["source", "medium", "campaign", "content", "term", "label"] as const;
export type Tag = (typeof TAGS)[number];

/** The visits that landed on a page with just these tags. */
export const cameBy = (read: Record<Tag, string> & { page: string }): SegmentPart =>
  partOfAll([...TAGS.map((tag) => ({ dimension: tag, value: read[tag] })), { dimension: "entry_page", value: read.page }]);

export const EMPTY: LinkDraft = { address: "", source: "", medium: "", campaign: "", content: "", term: "", label: "" };

/** Whether a draft is only a word behind the address. */
export const isOneWord = (draft: LinkDraft): boolean => draft.label !== "" && TAGS.every((tag) => tag === "label" || draft[tag] === "");

/** Whether any of its tags is given. */
export const hasTags = (draft: LinkDraft): boolean => TAGS.some((tag) => draft[tag].trim() !== "");

/** How the visits of a link are read: `Email / letter / spring courses / top`. */
export const readWords = (read: Partial<Record<Tag | "channel", string>>): string =>
  [read.channel, ...TAGS.filter((tag) => tag !== "medium" && tag !== "label").map((tag) => read[tag])].filter(Boolean).join(" / ");

/** What is said of a field, once each: all that is only said, and of what could be used instead the first that was not turned down. */
export function remarksOf(
  links: readonly BuiltLink[],
  name: Remark["field"],
  turnedDown: ReadonlySet<string>,
): (Remark & { place: number })[] {
  const all = links.flatMap((link, place) => link.remarks.map((one) => ({ ...one, place })));
  const said = all.filter((one) => !one.is_error && one.field === name && !turnedDown.has(one.text));
  const once = said.filter((one, i) => said.findIndex((other) => other.text === one.text) === i);
  const first = once.find((one) => one.use);
  return once.filter((one) => !one.use || one === first).slice(0, 3);
}

/** Whether nothing needs to be minded of a link. */
export const isGood = (link: BuiltLink): boolean => link.url !== null && !link.registered && link.remarks.every((one) => one.is_note);

/** What of a sheet is good, and what is not: `20 lines make 22 links: 13 good, 7 with remarks, 2 wrong`. */
export function sheetCounts(lines: readonly Schemas["SheetLine"][], links: readonly BuiltLink[]) {
  const wrong = links.filter((link) => !link.url).length + lines.filter((line) => line.wrong).length;
  const good = links.filter(isGood).length;
  return { wrong, good, remarked: links.filter((link) => link.url).length - good };
}

const HEADS = ["address", ...TAGS] as const;
const quoted = (cell: string): string => `"${cell.replaceAll('"', '""')}"`;

/** Drafts as lines of CSV. */
export const sheetOf = (drafts: readonly LinkDraft[]): string =>
  [HEADS.join(","), ...drafts.map((draft) => HEADS.map((head) => quoted(draft[head])).join(","))].join("\r\n");
