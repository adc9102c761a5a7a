/** What a stored talk cost. */
import { http, useLoaded } from '../shared/use-loaded.js';
import { money } from '../shared/money.js';

export function TalkCost({ conversation }: { conversation: string }) {
  const { value } = useLoaded(() => http.cost(conversation), conversation, null);
  if (!value || value.sums.length === 0) return null;
  return (
    <details className="text-sm">
      <summary className="cursor-pointer">
        {value.sums.map(({ currency, cost, wasted, saved }) => (
          <span key={currency} className="times">
            It cost {currency} {money(cost)}
            {wasted > 0 && `, ${money(wasted)} of it wasted`}
            {saved > 0 && `; ${money(saved)} were saved by sound that was kept`}
          </span>
        ))}
      </summary>
      <table className="table table-xs w-auto">
        <tbody>
          {value.engines.map(({ engine, requests, audioMs, characters, tokensIn, tokensOut, sums }) => (
            <tr key={engine}>
              <td>{engine}</td>
              <td>{requests} requests</td>
              <td>
                {audioMs > 0 && `${(audioMs / 1000).toFixed(1)} s of sound`}
                {characters > 0 && `${characters} characters`}
                {tokensIn + tokensOut > 0 && `${tokensIn} tokens in, ${tokensOut} out`}
              </td>
              <td className="times">
                {sums.map(({ currency, cost }) => `${currency} ${cost.toFixed(5)}`).join(' ') || 'no price'}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
