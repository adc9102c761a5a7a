/** What of the project's files has changed and takes effect when the service is started again. */
export function Restarts({ restarts }: { restarts: readonly string[] }) {
  if (restarts.length === 0) return null;
  return (
    <ul role="status" className="text-warning">
      {restarts.map((what) => (
        <li key={what}>{what} takes effect when the service is started again</li>
      ))}
    </ul>
  );
}
