/** Hands a file to the browser. */
export function download(data: Blob | string, name: string, type = "text/plain"): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(typeof data === "string" ? new Blob([data], { type }) : data);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
