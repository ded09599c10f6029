import { timeText, type TrustReport } from '@ivrex/contract';

/** What the shot's frames took to render, and what rendering them with blur would take. */
export function CostTable({ cost, word }: { cost: TrustReport['cost']; word: TrustReport['verdict']['word'] }) {
  const { frames, sharpSeconds, blurredSeconds, isMeasured } = cost;
  if (sharpSeconds === null || blurredSeconds === null)
    return (
      <span className="evidence">
        The headers do not say how long a frame took to render: what a render with blur would cost is not known.
      </span>
    );
  return (
    <table className="steps-table" data-testid="cost">
      <caption>Render time at stake, {frames} frames</caption>
      <thead>
        <tr>
          <th />
          <th>a frame</th>
          <th>the shot</th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <td>Sharp, as rendered</td>
          <td>{timeText(sharpSeconds)}</td>
          <td>{timeText(sharpSeconds * frames)}</td>
        </tr>
        <tr>
          <td>With blur, {isMeasured ? 'as the reference says' : 'four times, as is usual'}</td>
          <td>{timeText(blurredSeconds)}</td>
          <td>{timeText(blurredSeconds * frames)}</td>
        </tr>
        <tr>
          <td>{word === 'rerender' ? 'What the render with blur costs' : 'Saved by blurring here'}</td>
          <td>{timeText(word === 'rerender' ? blurredSeconds : blurredSeconds - sharpSeconds)}</td>
          <td>
            <b>{timeText((word === 'rerender' ? blurredSeconds : blurredSeconds - sharpSeconds) * frames)}</b>
          </td>
        </tr>
      </tbody>
    </table>
  );
}
