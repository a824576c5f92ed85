import { beforeEach, describe, expect, it, vi } from "vitest";

import { gathering, KnownRequest } from "@/api/together";

const SITE = "http://compass.example/api/v1/sites/mill";
const post = (what: string, body: unknown, signal?: AbortSignal) =>
  new KnownRequest(`${SITE}/reports/${what}`, { method: "POST", body: JSON.stringify(body), signal: signal ?? null });

describe("tables and courses that are asked for in one turn", () => {
  let sent: string[];
  let answerTogether: (asked: { report: string; request: { n: number } }[]) => Response | Promise<Response>;
  const told = (asked: { report: string; request: { n: number } }[]) => asked.map(({ report, request }) => ({ [report]: request.n }));
  const {
    now: ask,
    after,
    go,
  } = gathering(async (request) => {
    const what = request.url.slice(SITE.length);
    sent.push(what);
    const body = (await request.text()) || "{}";
    if (what !== "/reports/together") return Response.json({ alone: (JSON.parse(body) as { n: number }).n });
    const answered = await answerTogether((JSON.parse(body) as { asked: { report: string; request: { n: number } }[] }).asked);
    if (request.signal.aborted) throw request.signal.reason;
    return answered;
  });
  const answers = (asked: Promise<Response>[]) => Promise.all(asked.map(async (one) => (await one).json() as Promise<unknown>));

  beforeEach(() => {
    sent = [];
    answerTogether = (asked) => Response.json({ answers: told(asked) });
  });

  it("go as one request, and each has its own answer", async () => {
    const asked = [ask(post("table", { n: 1 })), ask(post("series", { n: 2 })), ask(post("table", { n: 3 }))];
    expect(await answers(asked)).toEqual([{ table: 1 }, { series: 2 }, { table: 3 }]);
    expect(sent).toEqual(["/reports/together"]);
  });

  it("go at once where whoever knows that all have asked says so, and none goes twice", async () => {
    const asked = [ask(post("table", { n: 1 })), ask(post("table", { n: 2 }))];
    go();
    expect(sent).toEqual(["/reports/together"]);
    go();
    expect(await answers(asked)).toEqual([{ table: 1 }, { table: 2 }]);
    expect(await answers([ask(post("table", { n: 3 }))])).toEqual([{ alone: 3 }]);
    expect(sent).toEqual(["/reports/together", "/reports/table"]);
  });

  it("one by itself, and all else, goes as it is", async () => {
    const asked = [ask(post("table", { n: 1 })), ask(post("compare", { n: 2 })), ask(new Request(`${SITE}/goals`))];
    expect(await answers(asked)).toEqual([{ alone: 1 }, { alone: 2 }, { alone: undefined }]);
    expect(sent).not.toContain("/reports/together");
  });

  it("what there was no time for is asked for by itself", async () => {
    answerTogether = (asked) => Response.json({ answers: told(asked).slice(0, 1) });
    const asked = [1, 2, 3].map((n) => ask(post("table", { n })));
    expect(await answers(asked)).toEqual([{ table: 1 }, { alone: 2 }, { alone: 3 }]);
  });

  it("no more at once than the server takes", async () => {
    const most: number[] = [];
    answerTogether = (asked) => (most.push(asked.length), Response.json({ answers: told(asked) }));
    const found = await answers(Array.from({ length: 33 }, (_, n) => ask(post("table", { n }))));
    expect(found.at(-1)).toEqual({ alone: 32 });
    expect(most).toEqual([16, 16]);
  });

  it.each([422, 413])("where one cannot be answered (%d), each says so by itself", async (status) => {
    answerTogether = () => Promise.reject(Object.assign(new Error("one of them"), { status }));
    expect(await answers([1, 2].map((n) => ask(post("table", { n }))))).toEqual([{ alone: 1 }, { alone: 2 }]);
  });

  it("where the server fails, all of them fail, and none is asked for again here", async () => {
    const why = Object.assign(new Error("not today"), { status: 503 });
    answerTogether = () => Promise.reject(why);
    const ended = await Promise.allSettled([1, 2].map((n) => ask(post("table", { n }))));
    expect(ended.map((one) => one.status === "rejected" && one.reason === why)).toEqual([true, true]);
    expect(sent).toEqual(["/reports/together"]);
  });

  it("one that nobody wants any more ends at once; the others have their answers", async () => {
    const leaving = new AbortController();
    answerTogether = (asked) => (leaving.abort(), Response.json({ answers: told(asked) }));
    const [left, other] = await Promise.allSettled([ask(post("table", { n: 1 }, leaving.signal)), ask(post("table", { n: 2 }))]);
    expect(left.status).toBe("rejected");
    expect(other.status).toBe("fulfilled");
  });

  it("what is asked after the others goes when they have ended, as one request too", async () => {
    const came: number[][] = [];
    let answerFirst = (): void => undefined;
    answerTogether = async (asked) => {
      came.push(asked.map(({ request }) => request.n));
      if (came.length === 1) await new Promise<void>((done) => (answerFirst = done));
      return Response.json({ answers: told(asked) });
    };
    const asked = [
      after(post("table", { n: 1 })),
      ask(post("table", { n: 2 })),
      ask(post("table", { n: 3 })),
      after(post("table", { n: 4 })),
    ];
    await vi.waitFor(() => expect(came).toEqual([[2, 3]]));
    answerFirst();
    expect(await answers(asked)).toEqual([1, 2, 3, 4].map((n) => ({ table: n })));
    expect(came).toEqual([
      [2, 3],
      [1, 4],
    ]);
  });

  it("what is asked after others that fail is answered all the same, and without others at once", async () => {
    let isFirst = true;
    answerTogether = (asked) => {
      if (!isFirst) return Response.json({ answers: told(asked) });
      isFirst = false;
      throw Object.assign(new Error("not today"), { status: 503 });
    };
    const [failed, , ...others] = await Promise.allSettled([
      ask(post("table", { n: 1 })),
      ask(post("table", { n: 2 })),
      after(post("table", { n: 3 })),
    ]);
    expect(failed.status).toBe("rejected");
    expect(others.map((one) => one.status)).toEqual(["fulfilled"]);
    expect(await answers([after(post("table", { n: 5 })), after(post("table", { n: 6 }))])).toEqual([{ table: 5 }, { table: 6 }]);
  });

  it("what nobody wants any more when its turn comes is not asked for", async () => {
    const leaving = new AbortController();
    answerTogether = (asked) => (leaving.abort(), Response.json({ answers: told(asked) }));
    const ended = await Promise.allSettled([
      ...[ask(post("table", { n: 1 })), ask(post("table", { n: 2 }))],
      ...[after(post("table", { n: 3 }, leaving.signal)), after(post("table", { n: 4 }, leaving.signal))],
    ]);
    expect(ended.map((one) => one.status)).toEqual(["fulfilled", "fulfilled", "rejected", "rejected"]);
    expect(sent).toEqual(["/reports/together"]);
  });

  it("when all are left the request is left", async () => {
    const leaving = new AbortController();
    const wasLeft = vi.fn();
    answerTogether = () => (leaving.abort(), wasLeft(), Response.json({ answers: [] }));
    const ended = await Promise.allSettled([1, 2].map((n) => ask(post("table", { n }, leaving.signal))));
    expect(ended.map((one) => one.status)).toEqual(["rejected", "rejected"]);
    expect(wasLeft).toHaveBeenCalledOnce();
    expect(sent).toEqual(["/reports/together"]);
  });

  it("those left before they went are not sent", async () => {
    const leaving = new AbortController();
    const left = [1, 2].map((n) => ask(post("table", { n }, leaving.signal)));
    leaving.abort();
    const ended = await Promise.allSettled(left);
    expect(ended.map((one) => one.status)).toEqual(["rejected", "rejected"]);
    expect(sent).toEqual([]);
  });
});
