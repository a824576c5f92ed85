const asItStands = (text: string): number => text as unknown as number;

/** A number as it was typed; what is none is sent as it stands, so that it is refused beside its field. */
export const typedNumber = (text: string): number => (text.trim() !== "" && !isNaN(Number(text)) ? Number(text) : asItStands(text));

/** The same of a number without a sign or a fraction. */
export const typedCount = (text: string): number => (/^\d+$/.test(text.trim()) ? Number(text) : asItStands(text));
