import { Button } from 'antd';
import { useView } from '../../viewer/view-store';
import { showPlace } from './show-place';
import { useFigures } from './use-figures';

/** What A and B differ by, and the way to where they differ most. */
export function FiguresTable() {
  const found = useFigures();
  const look = useView((s) => s.look);
  if (look !== 'compare') return <span className="evidence">Choose how to compare: figures come with it.</span>;
  if (found.status === 'failed') return <span className="evidence">{found.message}</span>;
  if (found.status !== 'ready')
    return <span className="evidence">{found.status === 'working' ? 'Measuring.' : 'Figures come with both pictures.'}</span>;
  const { psnr, maskedPsnr, ssim, maxAbs, maxAt } = found.figures;
  const decibel = (v: number | null) => (v === null ? 'nothing blurred' : v === Infinity ? 'equal' : `${v.toFixed(1)} dB`);
  return (
    <dl className="facts" data-testid="figures" aria-busy={found.isPassing} style={{ opacity: found.isPassing ? 0.55 : 1 }}>
      <dt>Where B is blurred</dt>
      <dd data-testid="masked-psnr">{decibel(maskedPsnr)}</dd>
      <dt>All that counts</dt>
      <dd>{decibel(psnr)}</dd>
      <dt>Structure (SSIM)</dt>
      <dd>{ssim.toFixed(4)}</dd>
      <dt>Largest difference</dt>
      <dd>
        {maxAbs.toPrecision(3)}{' '}
        {maxAbs > 0 && (
          <Button type="link" size="small" style={{ padding: 0, height: 'auto' }} onClick={() => showPlace(maxAt)}>
            at {maxAt.x}, {maxAt.y}
          </Button>
        )}
      </dd>
    </dl>
  );
}
