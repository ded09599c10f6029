import { Button, Input, Popconfirm, Tooltip } from 'antd';
import { useState } from 'react';
import { useStateActions, useStates } from '../../api/match';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';

/** Settings that were given a name, to be compared and returned to, and every change that was made. */
export function StatesCard() {
  const { detail } = useShotContext();
  const states = useStates(detail),
    { name, remove, returnTo, go } = useStateActions(detail.shot.id);
  const [text, setText] = useState('');
  const [showsAll, setShowsAll] = useState(false);
  const keep = () => {
    const wanted = text.trim();
    if (wanted !== '') name.mutate(wanted, { onSuccess: () => setText('') });
  };
  const { named = [], history = [] } = states.data ?? {};
  return (
    <section className="card" data-testid="states-card">
      <b>States</b>
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <Input
          size="small"
          aria-label="Name of this state"
          placeholder="Name what is set now"
          maxLength={100}
          value={text}
          onChange={(event) => setText(event.target.value)}
          onPressEnter={keep}
        />
        <Button size="small" disabled={text.trim() === ''} loading={name.isPending} onClick={keep}>
          Keep
        </Button>
      </div>
      {named.length === 0 && <span className="evidence">A named state can be compared with what is set, and returned to at any time.</span>}
      {named.map((state) => (
        <div className="row" key={state.id} style={{ flexWrap: 'nowrap' }}>
          <span className="grow" title={new Date(state.at).toLocaleString()}>
            {state.name} {state.isNow && <span className="quiet">set now</span>}
          </span>
          <Tooltip title="Compare it, as A, with what is set now">
            <Button
              size="small"
              onClick={() =>
                useView.setState((s) => ({
                  look: 'compare',
                  compare: { ...s.compare, a: { kind: 'state', state: state.id }, b: { kind: 'blurred' } },
                }))
              }
            >
              Compare
            </Button>
          </Tooltip>
          <Button
            size="small"
            disabled={state.isNow}
            loading={returnTo.isPending && returnTo.variables === state.id}
            onClick={() => returnTo.mutate(state.id)}
          >
            Return
          </Button>
          <Popconfirm title={`Forget "${state.name}"?`} okText="Forget it" cancelText="Keep it" onConfirm={() => remove.mutate(state.id)}>
            <Button size="small">Forget</Button>
          </Popconfirm>
        </div>
      ))}
      <button type="button" className="finding-text quiet" aria-expanded={showsAll} onClick={() => setShowsAll(!showsAll)}>
        {showsAll ? 'Hide the changes' : `All ${history.length} changes`}
      </button>
      {showsAll && (
        <ol className="history" data-testid="history">
          {history.map((state) => (
            <li key={state.sequence}>
              <button
                type="button"
                className="finding-text"
                aria-current={state.current}
                title={new Date(state.at).toLocaleString()}
                onClick={() => go.mutate(state.sequence)}
              >
                {state.current ? <b>{state.label}</b> : state.label}
              </button>
            </li>
          ))}
        </ol>
      )}
    </section>
  );
}
