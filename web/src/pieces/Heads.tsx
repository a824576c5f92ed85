/** The head of a column: a name, or a name of what stands there for those who only hear it. */
export type Head = string | { num: string } | { unseen: string } | false | null | undefined;

/** The heads of a small table; what is false has no column. */
export function Heads({ heads }: { heads: Head[] }) {
  return (
    <thead>
      <tr>
        {heads.map((head) => {
          if (!head) return null;
          if (typeof head === "string")
            return (
              <th key={head} scope="col">
                {head}
              </th>
            );
          if ("num" in head)
            return (
              <th key={head.num} scope="col" className="num">
                {head.num}
              </th>
            );
          return (
            <th key={head.unseen} scope="col">
              <span className="sr-only">{head.unseen}</span>
            </th>
          );
        })}
      </tr>
    </thead>
  );
}
