import type { Encoding } from '@ivrex/core';
import { App, Button, Input, Select } from 'antd';
import { useState } from 'react';
import { useEncodings, useSaveEncoding } from '../../api/deliveries';
import { sentenceOf } from '../../api/request';

/** Readings kept under a name, for the next shot from the same source. */
export function SavedEncodings({ encoding, onUse }: { encoding: Encoding | null; onUse: (name: string, encoding: Encoding) => void }) {
  const saved = useEncodings(),
    save = useSaveEncoding();
  const { message } = App.useApp();
  const [name, setName] = useState('');
  const keep = () => {
    if (encoding !== null && name.trim() !== '')
      save.mutate(
        { name, document: encoding },
        {
          onSuccess: () => {
            setName('');
            void message.success(`Kept as ${name}.`);
          },
          onError: (e) => void message.error(sentenceOf(e)),
        },
      );
  };
  return (
    <div className="card">
      <b>Kept readings</b>
      <Select
        size="small"
        aria-label="Use a kept reading"
        placeholder={saved.data?.length === 0 ? 'none kept yet' : 'use one'}
        value={null}
        disabled={(saved.data?.length ?? 0) === 0}
        options={saved.data?.map((s) => ({ value: s.id, label: `${s.name}${s.version > 1 ? `, version ${s.version}` : ''}` })) ?? []}
        onChange={(id: string | null) => {
          const found = saved.data?.find((s) => s.id === id);
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
