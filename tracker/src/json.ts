/** A value as JSON, whatever the page has made of the browser's own way; half of a pair of surrogates becomes a sign of its own. */
export function json(value: unknown): string {
  if (typeof value === "string")
    return `"${value.replace(/[\ud800-\udbff][\udc00-\udfff]|[^ !#-[\]-\ud7ff\ue000-\uffff]/g, (sign) =>
      sign.length > 1 ? sign : "\\u" + (sign > "~" ? "fffd" : ("000" + sign.charCodeAt(0).toString(16)).slice(-4)),
    )}"`;
  if (Array.isArray(value)) return `[${value.map(json).join()}]`;
  if (value && typeof value === "object")
    return `{${Object.entries(value)
      .filter(([, one]) => one !== undefined)
      .map((pair) => pair.map(json).join(":"))
      .join()}}`;
  return typeof value === "boolean" || Number.isFinite(value) ? `${value as number}` : "null";
}
