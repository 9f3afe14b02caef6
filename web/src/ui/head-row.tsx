/** The head of a table: a title for each column. */
export function HeadRow({ titles }: { titles: string[] }) {
  return (
    <thead>
      <tr>
        {titles.map((title) => (
          <th key={title} scope="col">
            {title}
          </th>
        ))}
      </tr>
    </thead>
  );
}
