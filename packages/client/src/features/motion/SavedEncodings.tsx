import { fingerprintOf, isSameEncoding, type Pass } from '@ivrex/contract';
import { describeEncoding, type Encoding } from '@ivrex/core';
import { App, Button, Input, Select } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { useEncodings, useSaveEncoding } from '../../api/encodings';
import { sentenceOf } from '../../api/request';

interface Props {
  readonly pass: Pass;
  readonly encoding: Encoding | null;
  readonly onUse: (name: string, encoding: Encoding) => void;
}

/** Readings kept under a name, for the next shot from the same source; those of passes that look like this one come first. */
export function SavedEncodings({ pass, encoding, onUse }: Props) {
  const saved = useEncodings(),
    save = useSaveEncoding();
  const { message } = App.useApp();
  const [name, setName] = useState('');
  const fingerprint = fingerprintOf(pass);
  const all = saved.data ?? [];
  const alike = all.filter((s) => s.fingerprint === fingerprint && (encoding === null || !isSameEncoding(s.document, encoding)));
  const keep = () => {
    if (encoding !== null && name.trim() !== '')
      save.mutate(
        { name: name.trim(), document: encoding, fingerprint },
        {
          onSuccess: () => {
            setName('');
            void message.success(`Kept as ${name.trim()}.`);
          },
          onError: (e) => void message.error(sentenceOf(e)),
        },
      );
  };
  return (
    <div className="card" data-testid="kept-readings">
      <div className="row">
        <b className="grow">Kept readings</b>
        <Link to="/encodings">All of them</Link>
      </div>
      {alike.map((s) => (
        <div className="row" key={s.id} style={{ flexWrap: 'nowrap' }}>
          <span className="grow evidence">
            {s.name} was kept for a pass with the same channels, types and header: {describeEncoding(s.document)}.
          </span>
          <Button size="small" aria-label={`Use ${s.name}`} onClick={() => onUse(s.name, s.document)}>
            Use it
          </Button>
        </div>
      ))}
      <Select
        size="small"
        aria-label="Use a kept reading"
        placeholder={saved.data?.length === 0 ? 'none kept yet' : 'use one'}
        value={null}
        disabled={all.length === 0}
        options={all.map((s) => ({ value: s.id, label: `${s.name}${s.version > 1 ? `, version ${s.version}` : ''}` }))}
        onChange={(id: string | null) => {
          const found = all.find((s) => s.id === id);
          if (found) onUse(found.name, found.document);
        }}
      />
      {encoding !== null && (
        <div className="row" style={{ flexWrap: 'nowrap' }}>
          <Input
            size="small"
            aria-label="Name for this reading"
            placeholder="name for this reading"
            maxLength={120}
            value={name}
            onChange={(e) => setName(e.target.value)}
            onPressEnter={keep}
          />
          <Button size="small" disabled={name.trim() === ''} loading={save.isPending} onClick={keep}>
            Keep
          </Button>
        </div>
      )}
    </div>
  );
}
