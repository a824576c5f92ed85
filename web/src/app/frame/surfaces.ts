/** A dotted word of the sentence in the strip: a control. */
export const WORD = "inline-block max-w-[min(78vw,36ch)] truncate align-bottom leading-5 border-b border-dotted";
