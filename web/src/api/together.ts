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

/** One of several answers that came as one: it is here, so whoever asked has it in the same turn as the others and all are drawn at once. */
class Answer extends Response {
  constructor(private readonly told: unknown) {
    super(null, { headers: { "Content-Length": "1" } }); // read as JSON, not as text
  }
  override json(): Promise<unknown> {
    return Promise.resolve(this.told);
  }
}

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
    // What was left meanwhile can no longer be read.
    const read = asked.map(async (one) => {
      try {
        return [{ ...one, body: await one.request.clone().text() }];
      } catch (why) {
        one.fail(why);
        return [];
      }
    });
    const there = (await Promise.all(read)).flat();
    const body = `{"asked":[${there.map((one) => `{"report":"${one.report}","request":${one.body}}`).join()}]}`;
    const headers = { "Content-Type": "application/json" };
    try {
      const response = await send(new Request(`${place}together`, { method: "POST", headers, body, signal: leaving.signal }));
      const { answers } = (await response.json()) as { answers: unknown[] };
      there.forEach((one, i) => (i < answers.length ? one.answer(new Answer(answers[i])) : alone(one)));
    } catch (why) {
      there.forEach(isUnfit(why) ? alone : ({ fail }) => fail(why));
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
