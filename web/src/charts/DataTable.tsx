interface DataTableProps {
  caption: string;
  heads: string[];
  rows: string[][];
}

/** What a chart shows, for whoever does not see it. */
export function DataTable({ caption, heads, rows }: DataTableProps) {
  return (
    <div className="sr-only overflow-hidden">
      <table>
        <caption>{caption}</caption>
        <thead>
          <tr>
            {heads.map((head) => (
              <th key={head} scope="col">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([first, ...others], place) => (
            <tr key={place}>
              <th scope="row">{first}</th>
              {others.map((cell, i) => (
                <td key={i}>{cell}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
