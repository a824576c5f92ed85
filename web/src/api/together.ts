type Send = (request: Request) => Promise<Response>;

interface Waiting {
  request: Request;
  /** Of the request; nothing where it was left before it was read. */
  body: Promise<string | null>;
  report: string;
  isAfter: boolean;
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
 * Whoever asks need not know. What the server had no time for goes by itself, side by side. What is asked `after` the others of its turn goes when they have
 * ended, whichever way.
 */
export function gathering(send: Send): { now: Send; after: Send } {
  const waiting = new Map<string, Waiting[]>();
  const alone = ({ request, answer, fail }: Waiting): Promise<void> => send(request).then(answer, fail);

  async function together(place: string, asked: Waiting[]): Promise<void> {
    const leaving = new AbortController();
    for (const { request, fail } of asked)
      request.signal.addEventListener("abort", () => {
        fail(request.signal.reason);
        if (asked.every((one) => one.request.signal.aborted)) leaving.abort();
      });
    const read = await Promise.all(asked.map(async (one) => ({ ...one, text: await one.body })));
    // What was left meanwhile has failed already.
    const there = read.filter(({ text }) => text !== null);
    const body = `{"asked":[${there.map((one) => `{"report":"${one.report}","request":${one.text}}`).join()}]}`;
    const headers = { "Content-Type": "application/json" };
    try {
      const response = await send(new Request(`${place}together`, { method: "POST", headers, body, signal: leaving.signal }));
      const { answers } = (await response.json()) as { answers: unknown[] };
      there.forEach((one, i) => (i < answers.length ? one.answer(new Answer(answers[i])) : void alone(one)));
    } catch (why) {
      there.forEach(isUnfit(why) ? (one) => void alone(one) : ({ fail }) => fail(why));
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
      if (!place || !report) return send(request);
      return new Promise((answer, fail) => {
        const those = waiting.get(place) ?? [];
        if (!those.length) setTimeout(() => void sendAll(place));
        // Read at once, so that nothing stands between its turn and its going.
        const body = request
          .clone()
          .text()
          .catch((why: unknown) => (fail(why), null));
        waiting.set(place, [...those, { request, body, report, isAfter, answer, fail }]);
      });
    };
  return { now: sending(false), after: sending(true) };
}
