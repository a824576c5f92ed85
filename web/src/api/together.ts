type Send = (request: Request) => Promise<Response>;

interface Waiting {
  request: Request;
  report: string;
  answer: (response: Response) => void;
  fail: (why: unknown) => void;
}

const GATHERED = /^(.*\/sites\/[^/]+\/reports\/)(table|series)$/;
/** What the server takes at once. */
const MOST = 16;
/** Something in it cannot be answered, or all of it is too large; each by itself tells which. */
const UNFIT = [413, 422];
const isUnfit = (why: unknown): boolean => UNFIT.includes((why as { status?: number }).status ?? 0);

/**
 * Sends tables and courses that are asked for in one turn as one request: a view of a dozen is let in once, read at one moment and drawn once.
 * Whoever asks need not know. What the server had no time for goes by itself, side by side.
 */
export function gathering(send: Send): Send {
  const waiting = new Map<string, Waiting[]>();
  const alone = ({ request, answer, fail }: Waiting): void => void send(request).then(answer, fail);

  async function together(place: string, asked: Waiting[]): Promise<void> {
    const leaving = new AbortController();
    for (const { request, fail } of asked)
      request.signal.addEventListener("abort", () => {
        fail(request.signal.reason);
        if (asked.every((one) => one.request.signal.aborted)) leaving.abort();
      });
    const bodies = asked.map(async ({ report, request }) => `{"report":"${report}","request":${await request.clone().text()}}`);
    const body = `{"asked":[${(await Promise.all(bodies)).join()}]}`;
    const headers = { "Content-Type": "application/json" };
    try {
      const response = await send(new Request(`${place}together`, { method: "POST", headers, body, signal: leaving.signal }));
      const { answers } = (await response.json()) as { answers: unknown[] };
      asked.forEach((one, i) => (i < answers.length ? one.answer(Response.json(answers[i])) : alone(one)));
    } catch (why) {
      asked.forEach(isUnfit(why) ? alone : ({ fail }) => fail(why));
    }
  }

  function sendAll(place: string): void {
    const asked = (waiting.get(place) ?? []).filter(({ request, fail }) => !request.signal.aborted || fail(request.signal.reason));
    waiting.delete(place);
    for (let from = 0; from < asked.length; from += MOST) {
      const part = asked.slice(from, from + MOST);
      if (part.length === 1) part.forEach(alone);
      else void together(place, part);
    }
  }

  return (request) => {
    const [, place, report] = (request.method === "POST" && GATHERED.exec(request.url)) || [];
    if (!place || !report) return send(request);
    return new Promise((answer, fail) => {
      const those = waiting.get(place) ?? [];
      if (!those.length) setTimeout(() => sendAll(place));
      waiting.set(place, [...those, { request, report, answer, fail }]);
    });
  };
}
