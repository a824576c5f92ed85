import type { Schemas } from "@/api/client";

export type LinkDraft = Schemas["LinkDraft"];
export type BuiltLink = Schemas["BuiltLink"];
export type KeptLink = Schemas["LinkOut"];

export const TAGS = ["source", "medium", "campaign", "content", "term", "label"] as const;
export type Tag = (typeof TAGS)[number];

export const EMPTY: LinkDraft = { address: "", source: "", medium: "", campaign: "", content: "", term: "", label: "" };
export const MAX_AT_ONCE = 500;

const several = (text: string): string[] => {
  const parts = text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean);
  return parts.length ? parts : [""];
};

/** One draft for each source and each content that is given: commas stand between several. */
export function draftsOf(draft: LinkDraft): LinkDraft[] {
  const made = several(draft.source).flatMap((source) => several(draft.content).map((content) => ({ ...draft, source, content })));
  return made.slice(0, MAX_AT_ONCE);
}

/** How the visits of a link are read: `Email / letter / spring courses / top`. */
export const readWords = (read: Partial<Record<Tag | "channel", string>>): string =>
  [read.channel, ...TAGS.filter((tag) => tag !== "medium" && tag !== "label").map((tag) => read[tag])].filter(Boolean).join(" / ");
