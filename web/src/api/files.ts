import { ApiError, ask, client, csrfHeader, type Problem, type Schemas } from "@/api/client";

const HEAD = 96 * 1024;

/** Bytes as base64. */
async function base64(bytes: Blob): Promise<string> {
  const all = new Uint8Array(await bytes.arrayBuffer());
  let text = "";
  for (let at = 0; at < all.length; at += 0x8000) text += String.fromCharCode(...all.subarray(at, at + 0x8000));
  return btoa(text);
}

/** What the first lines of a file would become. */
export async function previewFile(site: string, file: Blob, reading: Schemas["LogReading"] | null): Promise<Schemas["FilePreviewOut"]> {
  const body = { head: await base64(file.slice(0, HEAD)), whole: file.size <= HEAD, reading };
  return ask(client.POST("/api/v1/sites/{site}/import/preview", { params: { path: { site } }, body }));
}

interface Sending {
  signal: AbortSignal;
  /** How much of the file is there, 0 to 1. */
  onSent: (share: number) => void;
}

/** Sends a file of hits, and waits until it is read. A request that tells how much was sent; the usual way to ask does not. */
export function sendHits(site: string, file: File, { signal, onSent }: Sending): Promise<Schemas["ImportOut"]> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", `/api/v1/sites/${encodeURIComponent(site)}/import/hits?name=${encodeURIComponent(file.name.slice(0, 200))}`);
    for (const [name, value] of csrfHeader()) request.setRequestHeader(name, value);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.responseType = "json";
    request.upload.onprogress = ({ loaded, total }) => onSent(total ? loaded / total : 1);
    request.onload = () => {
      if (request.status < 300) return resolve(request.response as Schemas["ImportOut"]);
      const found = (request.response ?? {}) as Partial<Problem>;
      const detail = found.detail ?? `The server answered ${request.status}.`;
      reject(new ApiError({ type: "about:blank", title: "Problem", ...found, status: request.status, detail }));
    };
    const gone = (detail: string) => () => reject(new ApiError({ type: "about:blank", title: "No answer", status: 0, detail }));
    request.onerror = gone("The server went away, or takes no file as large as this. What was stored before stays.");
    request.onabort = gone("Cancelled. What was stored before stays, and can be undone.");
    signal.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
