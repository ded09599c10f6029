import { QuestionCircleOutlined } from '@ant-design/icons';
import { Button, Popover } from 'antd';
import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import measured from './reliability.json';

/** Fewer cases tell nothing about a share. */
const ENOUGH_CASES = 10;

/** What a confidence is worth: of made-up passes whose encodings are known, how many were detected right at each confidence. */
export function ConfidenceHelp() {
  return (
    <Popover trigger="click" placement="bottomLeft" content={<Reliability />}>
      <Button size="small" type="text" aria-label="What this confidence is worth" icon={<QuestionCircleOutlined />} />
    </Popover>
  );
}

interface Tenth {
  readonly cases: number;
  readonly confidence: number;
  readonly right: number;
}

function bothOf(a: Tenth, b: Tenth): Tenth {
  const cases = a.cases + b.cases,
    mean = (key: 'confidence' | 'right') => (a[key] * a.cases + b[key] * b.cases) / Math.max(1, cases);
  return { cases, confidence: mean('confidence'), right: mean('right') };
}

function Reliability() {
  const tenths = measured.development.map((t, k) => bothOf(t, measured['held back'][k])),
    cases = tenths.reduce((sum, t) => sum + t.cases, 0);
  // Both ends, so that the line of what it should be goes through the whole plot.
  const points = [
    { confidence: 0, should: 0 },
    ...tenths
      .filter((t) => t.cases >= ENOUGH_CASES)
      .map((t) => ({ confidence: 100 * t.confidence, should: 100 * t.confidence, right: 100 * t.right, cases: t.cases })),
    { confidence: 100, should: 100 },
  ];
  const axis = { type: 'number', domain: [0, 100], ticks: [0, 25, 50, 75, 100], stroke: 'var(--line)' } as const,
    tick = { fill: 'var(--quiet)', fontSize: 11 };
  return (
    <figure className="plot" style={{ width: 300, margin: 0 }} data-testid="reliability">
      <figcaption className="quiet">
        The share of belief that this encoding holds among all that were weighed. {cases.toLocaleString('en')} made-up passes whose
        encodings are known were detected to check it: each dot is how many were right at that confidence, in %. On the thin line the
        confidence is worth what it says.
      </figcaption>
      <div style={{ height: 180 }}>
        <ResponsiveContainer width="100%" height="100%">
          <LineChart data={points} margin={{ top: 6, right: 12, bottom: 0, left: -14 }}>
            <CartesianGrid stroke="var(--line)" strokeDasharray="2 4" />
            <XAxis {...axis} dataKey="confidence" tick={tick} />
            <YAxis {...axis} tick={tick} />
            <Tooltip
              labelFormatter={(label) => `Confidence ${Number(label).toFixed(0)} %`}
              formatter={(value, _, { payload }: { payload?: { cases?: number } }) => [
                `${Number(value).toFixed(1)} % of ${payload?.cases ?? 0} passes`,
                'right',
              ]}
              contentStyle={{ background: 'var(--panel)', border: '1px solid var(--line)', fontSize: 12 }}
            />
            <Line dataKey="should" stroke="var(--quiet)" strokeWidth={1} dot={false} isAnimationActive={false} tooltipType="none" />
            <Line
              dataKey="right"
              connectNulls
              stroke="var(--accent)"
              strokeWidth={1.5}
              dot={{ r: 4, fill: 'var(--accent)' }}
              isAnimationActive={false}
            />
          </LineChart>
        </ResponsiveContainer>
      </div>
    </figure>
  );
}
