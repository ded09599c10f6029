import type { DepthAnswer, Element, Pass, ShotDetail } from '@ivrex/contract';
import { DEPTH_SURE, depthLawWords, describeDepth, type DepthEncoding } from '@ivrex/core';
import { Button, Input, Select, Spin, Switch } from 'antd';
import { useEffect, useState } from 'react';
import { measureDepthChannel, useMeasuredDepth } from '../../api/depth';
import { sentenceOf } from '../../api/request';
import { NamedRow } from '../../ui/NamedRow';
import { nothingText, tryParseNothing } from './nothing-values';

interface Props {
  readonly detail: ShotDetail;
  readonly element: Element;
  readonly pass: Pass;
  readonly onEncoding: (encoding: DepthEncoding | null, label: string) => void;
}

/** How the depth pass is stored: what was detected, why, and every part of it to be chosen otherwise. */
export function DepthCard({ detail, element, pass, onEncoding }: Props) {
  const asked = useMeasuredDepth(detail, element),
    measured = asked.data ?? null;
  const chosen = element.depthEncoding,
    used = chosen ?? measured?.encoding ?? null;
  const choose = (change: Partial<DepthEncoding>, label: string) => used && onEncoding({ ...used, ...change }, label);
  const isOpen = chosen === null && measured !== null && (!measured.isDepth || measured.confidence < DEPTH_SURE);
  return (
    <section className={`card ${isOpen ? 'open' : ''}`} data-testid="depth-card">
      <b>How {pass.name} is stored</b>
      {asked.isFetching && (
        <div className="row" role="status">
          <Spin size="small" /> <span>Looking at its values, and at what covers what when it moves.</span>
        </div>
      )}
      {asked.isError && <span className="warning-text">It could not be detected: {sentenceOf(asked.error)}</span>}
      {used !== null && (
        <>
          <span data-testid="depth-words">{wordsOf(chosen, measured)}</span>
          <ChannelRow detail={detail} element={element} pass={pass} used={used} measured={measured} onEncoding={onEncoding} />
          {measured !== null && used.position === null && <LawRow measured={measured} used={used} choose={choose} />}
          <NothingRow used={used} choose={choose} />
          <NamedRow name="Filtered edges">
            <Switch
              size="small"
              aria-label="Filtered edges"
              checked={used.filtered}
              onChange={(filtered) => choose({ filtered }, `Depth: edges ${filtered ? 'filtered' : 'not filtered'}`)}
            />
          </NamedRow>
        </>
      )}
      {measured !== null && <Evidence measured={measured} isUsed={chosen === null} />}
      {chosen !== null && (
        <Button size="small" onClick={() => onEncoding(null, 'Depth as it is detected')}>
          Use the detected encoding
        </Button>
      )}
    </section>
  );
}

function wordsOf(chosen: DepthEncoding | null, measured: DepthAnswer | null): string {
  if (chosen !== null) return `Chosen: ${describeDepth(chosen)}.`;
  if (measured === null) return '';
  if (!measured.isDepth) return 'This is no depth: it is not used.';
  return `Detected: ${describeDepth(measured.encoding)}; confidence ${Math.round(100 * measured.confidence)} %.`;
}

function ChannelRow({
  detail,
  element,
  pass,
  used,
  measured,
  onEncoding,
}: Props & { readonly used: DepthEncoding; readonly measured: DepthAnswer | null }) {
  const [problem, setProblem] = useState<string | null>(null);
  const positions = used.position ?? measured?.encoding.position ?? null;
  const take = async (channel: string) => {
    setProblem(null);
    if (channel === ALL_POSITIONS) return onEncoding(null, 'Depth from positions');
    try {
      const found = await measureDepthChannel(detail, element, channel);
      if (found !== null) onEncoding(found.encoding, `Depth from channel ${channel}`);
    } catch (error) {
      setProblem(sentenceOf(error));
    }
  };
  if (pass.channels.length < 2) return null;
  return (
    <NamedRow name="Channel">
      <Select
        className="grow"
        size="small"
        aria-label="Channel that holds depth"
        value={used.position === null ? used.channel : ALL_POSITIONS}
        options={[
          ...(positions === null ? [] : [{ value: ALL_POSITIONS, label: `${positions.join(', ')}: positions` }]),
          ...pass.channels.map(({ name, type }) => ({ value: name, label: `${name} (${type})` })),
        ]}
        onChange={(channel: string) => void take(channel)}
      />
      {problem !== null && <span className="warning-text">{problem}</span>}
    </NamedRow>
  );
}

/** Stands for the three channels of positions: no channel is called so. */
const ALL_POSITIONS = ' positions';

interface PartProps {
  readonly used: DepthEncoding;
  readonly choose: (change: Partial<DepthEncoding>, label: string) => void;
}

/** One choice for law, zero and scale: each way in which such values can mean distances. */
function LawRow({ measured, used, choose }: PartProps & { readonly measured: DepthAnswer }) {
  const keyOf = ({ law, zero, scale }: DepthEncoding) => JSON.stringify([law, zero, scale]);
  const listed = measured.alternatives.map(({ encoding, share }) => ({
    value: keyOf(encoding),
    label: `${depthLawWords(encoding)} (${Math.round(100 * share)} %)`,
    encoding,
  }));
  const known = listed.some((l) => l.value === keyOf(used));
  const options = known ? listed : [...listed, { value: keyOf(used), label: depthLawWords(used), encoding: used }];
  return (
    <NamedRow name="Values are">
      <Select
        className="grow"
        size="small"
        aria-label="What the stored values are"
        value={keyOf(used)}
        options={options.map(({ value, label }) => ({ value, label }))}
        onChange={(value: string) => {
          const taken = options.find((l) => l.value === value)?.encoding;
          if (taken !== undefined) choose({ law: taken.law, zero: taken.zero, scale: taken.scale }, `Depth: ${depthLawWords(taken)}`);
        }}
      />
    </NamedRow>
  );
}

function NothingRow({ used, choose }: PartProps) {
  const kept = nothingText(used.nothing);
  const [text, setText] = useState(kept);
  useEffect(() => setText(kept), [kept]);
  const parsed = tryParseNothing(text);
  const commit = () => {
    if (parsed !== null && text !== kept) choose({ nothing: parsed }, `Depth: nothing is ${text.trim() === '' ? 'no value' : text.trim()}`);
  };
  return (
    <NamedRow name="Nothing is">
      <Input
        className="grow"
        size="small"
        aria-label="Stored values that mean nothing"
        status={parsed === null ? 'error' : ''}
        placeholder="no value"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={commit}
        onPressEnter={commit}
      />
      {parsed === null && <span className="warning-text">Up to four numbers, such as 0 or 1e10, with commas between them.</span>}
    </NamedRow>
  );
}

function Evidence({ measured, isUsed }: { readonly measured: DepthAnswer; readonly isUsed: boolean }) {
  return (
    <>
      {measured.issues.map(({ code, severity, message }) => (
        <span key={code} className={severity === 'warning' && isUsed ? 'warning-text' : 'quiet'} role="note">
          {message}
        </span>
      ))}
      <span className="evidence">{measured.evidence.join(' ')}</span>
    </>
  );
}
