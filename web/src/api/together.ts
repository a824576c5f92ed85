type Send = (request: Request) => Promise<Response>;

/** A request that knows the text it was given to send: to read it out of a request takes turns in which a page is laid out. */
export class KnownRequest extends Request {
  readonly sent: string | undefined;
  constructor(input: RequestInfo | URL, init?: RequestInit) {
    super(input, init);
    this.sent = typeof init?.body === "string" ? init.body : undefined;
  }
}

interface Waiting {
  request: Request;
  body: string;
  report: string;
  isAfter: boolean;
  answer: (response: Response) => void;
  fail: (why: unknown) => void;
}

const GATHERED = /^(.*\/sites\/[^/]+\/reports\/)(table|series|answer|expected)$/;
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
 * Sends tables, courses and the like that are asked for in one turn as one request: a view of a dozen is let in once, read at one moment and drawn once.
 * Whoever asks need not know. What the server had no time for goes by itself, side by side. What is asked `after` the others of its turn goes when they have
 * ended, whichever way. A turn ends by itself, or by `go`.
 */
export function gathering(send: Send): { now: Send; after: Send; go: () => void } {
  const waiting = new Map<string, Waiting[]>();
  const alone = ({ request, answer, fail }: Waiting): Promise<void> => send(request).then(answer, fail);

  async function together(place: string, asked: Waiting[]): Promise<void> {
    const leaving = new AbortController();
    for (const { request, fail } of asked)
      request.signal.addEventListener("abort", () => {
        fail(request.signal.reason);
        if (asked.every((one) => one.request.signal.aborted)) leaving.abort();
      });
    const body = `{"asked":[${asked.map((one) => `{"report":"${one.report}","request":${one.body}}`).join()}]}`;
    const headers = { "Content-Type": "application/json" };
    try {
      const response = await send(new Request(`${place}together`, { method: "POST", headers, body, signal: leaving.signal }));
      const { answers } = (await response.json()) as { answers: unknown[] };
      asked.forEach((one, i) => (i < answers.length ? one.answer(new Answer(answers[i])) : void alone(one)));
    } catch (why) {
      asked.forEach(isUnfit(why) ? (one) => void alone(one) : ({ fail }) => fail(why));
    }
  }

  const sendThose = async (place: string, asked: Waiting[]): Promise<void> => {
    const parts = Array.from({ length: Math.ceil(asked.length / MOST) }, (_, i) => asked.slice(i * MOST, (i + 1) * MOST));
    await Promise.all(parts.map(async (part) => (part[1] ? together(place, part) : Promise.all(part.map(alone)))));
  };

  async function sendAll(place: string): Promise<void> {
    const asked = waiting.get(place) ?? [];
    waiting.delete(place);
    const wanted = (isAfter: boolean) =>
      asked.filter((one) => one.isAfter === isAfter && (!one.request.signal.aborted || one.fail(one.request.signal.reason)));
    await sendThose(place, wanted(false));
    await sendThose(place, wanted(true));
  }

  const sending =
    (isAfter: boolean): Send =>
    (request) => {
      const [, place, report] = (request.method === "POST" && GATHERED.exec(request.url)) || [];
      const body = request instanceof KnownRequest ? request.sent : undefined;
      if (!place || !report || body === undefined) return send(request);
      return new Promise((answer, fail) => {
        const those = waiting.get(place) ?? [];
        if (!those.length) setTimeout(() => void sendAll(place));
        waiting.set(place, [...those, { request, body, report, isAfter, answer, fail }]);
      });
    };
  const go = () => {
    for (const place of waiting.keys()) void sendAll(place);
  };
  return { now: sending(false), after: sending(true), go };
}
