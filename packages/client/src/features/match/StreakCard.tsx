import { roleOf, type StreakReport } from '@ivrex/contract';
import { combineStreaks, type StreakMeasure } from '@ivrex/core';
import { Button } from 'antd';
import { useEffect, useRef, useState } from 'react';
import { useMeasureStreaks } from '../../api/match';
import { sentenceOf } from '../../api/request';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';

interface Measured {
  readonly frame: number;
  readonly streak: StreakMeasure;
}

/** The plate's own shutter, from streaks that small things leave in it. */
export function StreakCard() {
  const { detail, shutter, commitShutter } = useShotContext();
  const { passes, settings, shot } = detail;
  const plate = passes.find((p) => roleOf(settings, p) === 'plate');
  const measure = useMeasureStreaks(shot.id);
  const frame = useView((s) => s.frame),
    draws = useView((s) => s.draws === 'streak'),
    line = useView((s) => s.streakLine);
  const [kept, setKept] = useState<readonly Measured[]>([]);
  const [refused, setRefused] = useState<string | null>(null);
  const handled = useRef(line?.count ?? 0);
  const take = (report: StreakReport, at: number) => {
    const found = report.streaks.flatMap((s) => ('refused' in s ? [] : [{ frame: at, streak: s }]));
    const [first] = report.streaks;
    setRefused(
      first !== undefined && 'refused' in first
        ? first.refused
        : found.length === 0
          ? 'No streak was found in this frame. Draw along one, or look at another frame.'
          : null,
    );
    // Found again is not found twice.
    const isSame = (a: Measured, b: Measured) =>
      a.frame === b.frame && Math.hypot(a.streak.from.x - b.streak.from.x, a.streak.from.y - b.streak.from.y) < 4;
    setKept((before) => [...before.filter((b) => !found.some((f) => isSame(b, f))), ...found]);
  };
  const run = (lines: { from: { x: number; y: number }; to: { x: number; y: number } }[] | null) => {
    if (plate !== undefined) measure.mutate({ plate: plate.id, frame, lines }, { onSuccess: (report) => take(report, frame) });
  };
  useEffect(() => {
    if (line === null || line.count === handled.current) return;
    handled.current = line.count;
    run([{ from: { x: line.x0, y: line.y0 }, to: { x: line.x1, y: line.y1 } }]);
  }, [line]);
  // Drawn over the picture while the step is open.
  useEffect(() => {
    const here = kept.filter((k) => k.frame === frame).map((k) => k.streak);
    useView.setState({ streaks: here.length === 0 ? null : { frame, streaks: here, combined: null } });
    return () => useView.setState({ streaks: null });
  }, [kept, frame]);
  useEffect(() => () => useView.setState({ draws: null, drawn: null }), []);
  if (plate === undefined)
    return (
      <section className="card">
        <b>Streaks of the plate</b>
        <span className="evidence">This shot has no plate. With one, the streaks of small fast things tell its shutter.</span>
      </section>
    );
  const combined = combineStreaks(kept.map((k) => k.streak));
  const showPlate = () => useView.setState({ look: 'pass', shownPass: plate.id });
  const middle = (shutter.opens + shutter.closes) / 2;
  return (
    <section className="card" data-testid="streak-card">
      <b>Streaks of the plate</b>
      <div className="row">
        <Button
          size="small"
          loading={measure.isPending && !draws}
          onClick={() => {
            showPlate();
            run(null);
          }}
        >
          Look for streaks
        </Button>
        <Button
          size="small"
          type={draws ? 'primary' : 'default'}
          onClick={() => {
            showPlate();
            useView.setState({ draws: draws ? null : 'streak' });
          }}
        >
          {draws ? 'Drag along a streak' : 'Draw along one'}
        </Button>
      </div>
      {measure.isError ? (
        <span className="evidence bad" role="alert">
          {sentenceOf(measure.error)}
        </span>
      ) : refused !== null ? (
        <span className="evidence" role="status">
          {refused}
        </span>
      ) : (
        kept.length === 0 && (
          <span className="evidence">
            Its length against how far the thing goes from frame to frame is the angle. Several make it surer.
          </span>
        )
      )}
      {kept.map(({ frame: at, streak }) => (
        <div className="row" key={`${at} ${streak.from.x} ${streak.from.y}`} style={{ flexWrap: 'nowrap' }}>
          <button
            type="button"
            className="finding-text grow"
            title="Show it"
            onClick={() => useView.setState({ frame: at, playing: false, look: 'pass', shownPass: plate.id })}
          >
            Frame {at}: {streak.lengthPx.toFixed(1)} of {streak.speedPx.toFixed(1)} px, {streak.angleDeg.toFixed(0)}° ±{' '}
            {streak.angleErrorDeg.toFixed(0)}
            {streak.notes.length > 0 && <span className="quiet"> {streak.notes.join(' ')}</span>}
          </button>
          <Button size="small" onClick={() => setKept((before) => before.filter((k) => k.streak !== streak))}>
            Leave out
          </Button>
        </div>
      ))}
      {combined !== null && (
        <div className="row">
          <span data-testid="streak-angle">
            <b>{combined.angleDeg.toFixed(1)}°</b> ± {combined.errorDeg.toFixed(1)} from {kept.length}{' '}
            {kept.length === 1 ? 'streak' : 'streaks'}
          </span>
          <span style={{ flex: 1 }} />
          <Button
            size="small"
            type="primary"
            onClick={() => {
              const half = combined.angleDeg / 720;
              commitShutter('Shutter of the plate', { ...shutter, opens: middle - half, closes: middle + half });
            }}
          >
            Take it
          </Button>
        </div>
      )}
      {combined !== null && (
        <span className="evidence">Streaks tell how long the shutter is open, not when: its middle stays where it is set.</span>
      )}
    </section>
  );
}
