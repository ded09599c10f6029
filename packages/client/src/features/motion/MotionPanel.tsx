import { describeEncoding, proposeEncoding, type Encoding, type RepairStep } from '@ivrex/core';
import { Alert } from 'antd';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { useMotionReading } from '../../api/motion';
import { sentenceOf } from '../../api/request';
import { useView } from '../../viewer/view-store';
import { ElementRow } from '../shot/ElementRow';
import { useShotContext } from '../shot/ShotPage';
import { AuditCard } from './AuditCard';
import { ChannelEvidence } from './ChannelEvidence';
import { EvidencePlot } from './EvidencePlot';
import { FactsCard } from './FactsCard';
import { MakeMotionCard } from './MakeMotionCard';
import { QuestionCards } from './QuestionCards';
import { ReadingCard } from './ReadingCard';
import { RemapCard } from './RemapCard';
import { RepairsCard } from './RepairsCard';
import { SavedEncodings } from './SavedEncodings';
import { Symptoms } from './Symptoms';

/** How the motion pass is stored: what was measured, the proof, what is damaged, and each question beside its evidence. */
export function MotionPanel() {
  const { detail } = useShotContext();
  // What was asked about one element says nothing about another.
  return <ElementMotion key={detail.settings.elements[0].id} />;
}

function ElementMotion() {
  const { detail, change } = useShotContext();
  const [element] = detail.settings.elements;
  const pass = detail.passes.find((p) => p.id === element.motion);
  const problem = useView((s) => s.problem),
    frame = useView((s) => s.frame);
  const { facts } = element;
  // A fact is about the frame that was on screen when it was given: that frame is read.
  const [asked, setAsked] = useState<number | null>(facts.at(-1)?.frame ?? null);
  const found = useMotionReading(
    detail,
    asked,
    facts.flatMap((known) => (known.frame === asked ? [known.fact] : [])),
  );
  const { reading } = found;
  const { encoding } = element;
  useEffect(() => {
    useView.setState({ proposed: reading?.encoding ?? null });
    return () => useView.setState({ proposed: null });
  }, [reading]);
  useEffect(() => {
    if (encoding !== null && ['pass', 'sharp', 'wipe', 'blurred'].includes(useView.getState().look))
      useView.setState({ look: 'directions', needles: true });
  }, [encoding === null]);
  if (pass === undefined)
    return (
      <>
        <h2>Motion</h2>
        <ElementRow />
        <div className="card">
          <b>No pass is marked as motion</b>
          <span className="evidence">
            When the render brought one, mark it in <Link to="../passes">Passes</Link>. When it did not, motion can be made.
          </span>
        </div>
        {element.beauty !== null && <MakeMotionCard detail={detail} isOnlyWay />}
      </>
    );
  const set = (label: string, next: Encoding | null, repairs: readonly RepairStep[] = element.repairs) =>
    change(label, (s) => ({ ...s, elements: [{ ...s.elements[0], encoding: next, repairs: [...repairs] }, ...s.elements.slice(1)] }));
  const take = (e: Encoding) => set('Reading taken', { ...e, name: describeEncoding(e) });
  const repair = (step: RepairStep, label: string) =>
    set(label, encoding ?? reading?.encoding ?? null, [...element.repairs.filter((r) => r.kind !== step.kind), step]);
  const shift = (by: number) =>
    change('Motion shifted', (s) => ({ ...s, offsets: { ...s.offsets, [pass.sequenceId]: (s.offsets[pass.sequenceId] ?? 0) + by } }));
  return (
    <>
      <h2>Motion</h2>
      <ElementRow />
      <ReadingCard
        reading={reading}
        isMeasuring={found.isMeasuring}
        isGoingOn={found.isGoingOn}
        problem={found.error === null ? null : sentenceOf(found.error)}
        byName={proposeEncoding(pass.channels)?.encoding ?? null}
        agreed={encoding}
        frame={frame}
        onTake={take}
        onAskFrame={() => setAsked(frame)}
      />
      {problem !== null && <Alert type="error" showIcon title={problem} />}
      {reading !== null && (
        <Symptoms reading={reading} agreed={encoding} repairs={element.repairs} onRepair={repair} onShift={shift} onTake={take} />
      )}
      {reading !== null && (reading.confidence < 0.6 || facts.length > 0) && (
        <FactsCard
          facts={facts}
          onChange={(label, next) => {
            setAsked(next.at(-1)?.frame ?? frame);
            void change(label, (s) => ({ ...s, elements: [{ ...s.elements[0], facts: next }, ...s.elements.slice(1)] }));
          }}
        />
      )}
      {reading !== null && reading.evidence.plots.length > 0 && (
        <section className="card">
          {reading.evidence.plots.map((plot, i) => (
            <EvidencePlot key={plot.channel} plot={plot} axis={i === 0 ? 'x' : 'y'} frame={reading.frame} />
          ))}
        </section>
      )}
      {encoding !== null && <AuditCard detail={detail} onRepair={repair} />}
      {encoding !== null && (
        <RepairsCard shotName={detail.shot.name} repairs={element.repairs} onChange={(label, repairs) => set(label, encoding, repairs)} />
      )}
      <ChannelEvidence pass={pass} encoding={encoding ?? reading?.encoding ?? null} />
      {encoding !== null && <QuestionCards pass={pass} encoding={encoding} onChange={set} />}
      {encoding !== null && <RemapCard detail={detail} encoding={encoding} />}
      <SavedEncodings pass={pass} encoding={encoding} onUse={(name, next) => set(`Reading ${name}`, next)} />
      <div id="make-motion">
        <MakeMotionCard detail={detail} isOnlyWay={false} />
      </div>
    </>
  );
}
