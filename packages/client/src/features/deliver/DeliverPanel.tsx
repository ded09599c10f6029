import { listedElements } from '@ivrex/contract';
import { summarizeAudit } from '@ivrex/core';
import { Alert } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { useDeliveries, useDeliveryPlan, useOrderDelivery } from '../../api/deliveries';
import { useEncodings } from '../../api/encodings';
import { useMotionAudit } from '../../api/motion';
import { sentenceOf } from '../../api/request';
import { remapTargets, type RemapTarget } from '../../ui/remap-targets';
import { ReportCard } from '../match/ReportCard';
import { useShotContext } from '../shot/ShotPage';
import { checkDraft, newDraft, productsOf, usualName, usualPattern, type DeliveryDraft } from './delivery-draft';
import { DeliveryCard } from './DeliveryCard';
import { FilesCard } from './FilesCard';
import { FormCard } from './FormCard';
import { HandOverCard } from './HandOverCard';
import { PlanCard } from './PlanCard';
import { ProductsCard } from './ProductsCard';

/** Encodings that motion can be written in: the usual ones at this shot's speeds, and those that were kept. */
function useTargets(): RemapTarget[] {
  const { whole } = useShotContext();
  const { data: audit } = useMotionAudit(whole),
    kept = useEncodings();
  const range = summarizeAudit((audit?.frames ?? []).map((f) => ({ frame: f.frame, audit: f }))).suggestedRangePx;
  const twoSided = whole.settings.elements[0].encoding?.sets.length === 2;
  return [
    ...remapTargets(range > 0 ? range : USUAL_RANGE_PX, twoSided),
    ...(kept.data ?? []).map((k) => ({ key: k.id as string, encoding: k.document, usual: 'half exr' })),
  ];
}

const USUAL_RANGE_PX = 64;

/** Orders what is delivered, says beforehand what that comes to, and shows how far it is. */
export function DeliverPanel() {
  const { whole } = useShotContext();
  const { shot, settings, state, look } = whole;
  const deliveries = useDeliveries(shot.id),
    order = useOrderDelivery(shot.id);
  const elements = listedElements(settings),
    targets = useTargets();
  const [draft, setDraft] = useState<DeliveryDraft>(() => newDraft(elements, shot.firstFrame, shot.lastFrame));
  const change = (part: Partial<DeliveryDraft>) => setDraft((d) => ({ ...d, ...part }));
  const products = productsOf(draft, elements, (e) =>
    e.encoding === null || draft.motionAs === 'same' ? e.encoding : (targets.find((t) => t.key === draft.motionAs)?.encoding ?? e.encoding),
  );
  const checked = checkDraft(draft, shot.name, products, elements);
  const options = 'options' in checked ? checked.options : null;
  const plan = useDeliveryPlan(shot.id, options, [state.sequence, look]);
  const form = draft.forms[draft.kind];
  if (settings.elements[0].encoding === null)
    return (
      <div className="empty-state">
        <h2>Nothing to deliver yet</h2>
        <div>Say how the motion is stored, then set the shutter.</div>
        <Link to="../motion">Go to Motion</Link>
      </div>
    );
  return (
    <>
      <h2>Deliver</h2>
      <ProductsCard draft={draft} elements={elements} mattes={settings.mattes} targets={targets} onChange={change} />
      <FormCard draft={draft} count={products.length} onChange={change} />
      <FilesCard
        draft={draft}
        usual={{ name: usualName(shot.name, draft, products, elements), pattern: usualPattern(form, products, draft.existing) }}
        example={options === null || plan.data === undefined ? null : { path: plan.data.example, root: plan.data.root }}
        onChange={change}
      />
      <PlanCard
        plan={plan.data ?? null}
        fault={'fault' in checked ? checked.fault : plan.isError ? sentenceOf(plan.error).replace(/\.$/, '') : null}
        pending={order.isPending}
        error={order.isError ? sentenceOf(order.error) : null}
        onOrder={() => options !== null && order.mutate(options)}
      />
      {deliveries.data?.map((d) => (
        <DeliveryCard key={d.id} delivery={d} />
      ))}
      {deliveries.data?.length === 0 && <p>Nothing has been delivered from this shot yet.</p>}
      {deliveries.isError && <Alert type="error" showIcon title={sentenceOf(deliveries.error)} />}
      <HandOverCard shotId={shot.id} shot={shot.name} options={options} />
      <ReportCard />
    </>
  );
}
