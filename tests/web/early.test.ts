import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

const SITES = "http://compass.example/api/v1/sites";

describe("what the page asked for while its scripts came", () => {
  const early = new Map<string, Promise<Response | null>>();
  const send = vi.fn(() => Promise.resolve(Response.json("asked anew")));
  const read = async (request: Request): Promise<unknown> => {
    const { fetched } = await import("@/api/early");
    return (await fetched(request)).json();
  };

  beforeEach(() => {
    vi.resetModules();
    vi.stubGlobal("early", early);
    vi.stubGlobal("fetch", send);
    early.clear();
    send.mockClear();
  });
  afterEach(() => void vi.unstubAllGlobals());

  it("is taken once and then asked for", async () => {
    early.set("/api/v1/sites", Promise.resolve(Response.json("there already")));
    expect(await read(new Request(SITES))).toBe("there already");
    expect(send).not.toHaveBeenCalled();
    expect(await read(new Request(SITES))).toBe("asked anew");
  });

  it("is not taken for another question of the same place", async () => {
    early.set("/api/v1/sites", Promise.resolve(Response.json("there already")));
    expect(await read(new Request(SITES, { method: "POST", body: "{}" }))).toBe("asked anew");
    expect(await read(new Request(`${SITES}?archived=true`))).toBe("asked anew");
  });

  it.each([
    ["was not asked for", () => Promise.resolve(null)],
    ["failed", () => Promise.reject(new TypeError("no network"))],
  ])("is asked for where it %s", async (_, answer) => {
    early.set("/api/v1/sites", answer());
    expect(await read(new Request(SITES))).toBe("asked anew");
  });

  it("is asked for anew where it does not come, and not before", async () => {
    vi.useFakeTimers();
    early.set("/api/v1/sites", new Promise(() => undefined));
    const { fetched } = await import("@/api/early");
    const answer = fetched(new Request(SITES));
    await vi.advanceTimersByTimeAsync(1_900);
    expect(send).not.toHaveBeenCalled();
    await vi.advanceTimersByTimeAsync(200);
    expect(await (await answer).json()).toBe("asked anew");
    vi.useRealTimers();
  });
});
