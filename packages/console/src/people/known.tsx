/** What a caller has said for whoever takes over. */
export function Known({ known }: { known: Readonly<Record<string, string>> }) {
  return (
    <dl className="grid grid-cols-[auto_1fr] gap-x-3 text-sm" aria-label="What is known">
      {Object.entries(known).map(([slot, value]) => (
        <div key={slot} className="contents">
          <dt className="text-accent">{slot}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}
