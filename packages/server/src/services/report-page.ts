import { timeText, type ShotReport } from '@ivrex/contract';
import { describeEncoding, shutterAngleDeg } from '@ivrex/core';

/** A shot report as one page that needs nothing else: pictures and charts are in it. For looking at and for printing. */
export function reportPage(report: ShotReport): string {
  const { shot, madeAt, state } = report;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>${text(shot.name)}: shot report</title>
<style>${STYLE}</style>
</head>
<body>
<h1>${text(shot.name)}</h1>
<p class="quiet">Frames ${shot.firstFrame} to ${shot.lastFrame}, ${shot.width} x ${shot.height}${shot.fps === null ? '' : `, ${shot.fps} frames a second`}. Made ${text(madeAt.slice(0, 16).replace('T', ' '))} UTC, after "${text(state)}". ${text(shot.folder)}</p>
${verdictSection(report)}
${shutterSection(report)}
${report.frames.map(frameSection).join('\n')}
${encodingSection(report)}
${auditSection(report)}
${passesSection(report)}
</body>
</html>
`;
}

const STYLE = `
@page { size: A4; margin: 14mm; }
body { font: 10.5pt/1.45 'Inter Variable', Inter, 'DejaVu Sans', sans-serif; color: #1c1c1c; max-width: 900px; margin: 0 auto; padding: 20px; }
h1 { font-size: 20pt; margin: 0 0 4px; } h2 { font-size: 13pt; margin: 22px 0 6px; border-bottom: 1px solid #ccc; } h3 { font-size: 11pt; margin: 14px 0 4px; }
p { margin: 4px 0; } .quiet { color: #5c5c5c; } table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
th, td { text-align: left; padding: 2px 10px 2px 0; vertical-align: top; } th { font-weight: 500; color: #5c5c5c; } tr + tr td { border-top: 1px solid #eee; }
.pictures { display: grid; grid-template-columns: 1fr 1fr; gap: 8px; margin: 6px 0; } figure { margin: 0; break-inside: avoid; } figcaption { color: #5c5c5c; font-size: 9pt; }
img { width: 100%; background: #222; display: block; } svg { display: block; width: 100%; height: auto; } section { break-inside: auto; } .word { font-weight: 600; }
`;

function text(value: string): string {
  return value.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
}

function decibel(value: number | null): string {
  return value === null ? 'equal' : `${value.toFixed(1)} dB`;
}

function percent(share: number): string {
  return `${(100 * share).toFixed(share < 0.0995 ? 1 : 0)} %`;
}

const WORDS = { fine: 'Fine', fix: 'Fix this first', rerender: 'Render it with blur' } as const;

function verdictSection({ frames, cost }: ShotReport): string {
  const rows = frames.flatMap(({ frame, trust }) =>
    trust === null
      ? []
      : [
          `<tr><td>${frame}</td><td class="word">${WORDS[trust.word]}</td><td>${text(trust.sentence)}<br><span class="quiet">${trust.causes
            .map((c) => `${text(c.sentence)} (${percent(c.markedShare)} marked, ${percent(c.seenShare)} likely seen)`)
            .join('<br>')}</span></td></tr>`,
        ],
  );
  const times =
    cost.sharpSeconds === null || cost.blurredSeconds === null
      ? 'The headers do not say how long a frame took to render.'
      : `A sharp frame took ${timeText(cost.sharpSeconds)}, with blur ${timeText(cost.blurredSeconds)} (${cost.isMeasured ? 'as the reference says' : 'four times, as is usual'}): over ${cost.frames} frames blurring afterwards saves ${timeText((cost.blurredSeconds - cost.sharpSeconds) * cost.frames)} of rendering.`;
  return `<section><h2>Can it be trusted?</h2><table><tr><th>Frame</th><th>Verdict</th><th>Why</th></tr>${rows.join('')}</table><p>${text(times)}</p></section>`;
}

function shutterSection({ shutter, path, match, matchedTo }: ShotReport): string {
  const { plan, words } = shutter;
  return `<section><h2>Shutter</h2><p>${text(words)}. Paths: ${text(path)}.</p>${intervalChart(plan.opens, plan.closes)}${match === null ? '<p class="quiet">It was not matched to a reference.</p>' : matchWords(match, matchedTo)}</section>`;
}

function intervalChart(opens: number, closes: number): string {
  const from = Math.min(-0.6, opens - 0.1),
    to = Math.max(0.6, closes + 0.1);
  const x = (t: number) => 20 + ((t - from) / (to - from)) * 560;
  const ticks = [-1, -0.5, 0, 0.5, 1].filter((t) => t >= from && t <= to);
  return `<svg viewBox="0 0 600 60" role="img" aria-label="The exposure in the frame interval"><line x1="20" x2="580" y1="34" y2="34" stroke="#999"/><rect x="${x(opens)}" y="14" width="${Math.max(1, x(closes) - x(opens))}" height="20" fill="#c9902f"/>${ticks
    .map(
      (t) =>
        `<line x1="${x(t)}" x2="${x(t)}" y1="30" y2="38" stroke="#444"/><text x="${x(t)}" y="52" font-size="11" text-anchor="middle">${t === 0 ? 'frame' : t}</text>`,
    )
    .join('')}</svg>`;
}

function matchWords({ match }: NonNullable<ShotReport['match']>, matchedTo: string | null): string {
  const error = (v: number | null) => (v === null ? ', given' : ` ± ${v.toFixed(3)}`);
  const grade =
    match.grade === null
      ? ''
      : ` The reference is graded: gain ${match.grade.gain.map((v) => v.toFixed(3)).join(' ')}, offset ${match.grade.offset.map((v) => v.toFixed(4)).join(' ')}.`;
  return `<h3>Matched to ${text(matchedTo ?? 'a reference')}</h3><p>Opens ${match.opens.toFixed(3)}${error(match.opensError)}, closes ${match.closes.toFixed(3)}${error(match.closesError)} frames: ${shutterAngleDeg(match).toFixed(1)} ± ${match.angleErrorDeg.toFixed(1)} degrees, strength ${match.strength.toFixed(3)}${error(match.strengthError)}. Left: ${match.residual.toPrecision(2)} of ${match.sharpResidual.toPrecision(2)} without blur; sure to ${percent(match.confidence)}. Frames ${match.frames.map((f) => f.frame).join(', ')}.${grade}</p>${match.notes.map((n) => `<p class="quiet">${text(n)}</p>`).join('')}${curveChart(match.curve, shutterAngleDeg(match))}`;
}

function curveChart(curve: readonly { angleDeg: number; residual: number }[], found: number): string {
  const most = Math.max(1e-9, ...curve.map((c) => c.residual));
  const x = (deg: number) => 40 + (deg / 720) * 540,
    y = (v: number) => 110 - (v / most) * 96;
  return `<svg viewBox="0 0 600 132" role="img" aria-label="What is left, by shutter angle"><line x1="40" x2="580" y1="110" y2="110" stroke="#999"/><line x1="${x(found)}" x2="${x(found)}" y1="10" y2="110" stroke="#c9902f" stroke-width="2"/><polyline fill="none" stroke="#222" stroke-width="1.5" points="${curve
    .map((c) => `${x(c.angleDeg).toFixed(1)},${y(c.residual).toFixed(1)}`)
    .join(
      ' ',
    )}"/>${[0, 180, 360, 540, 720].map((d) => `<text x="${x(d)}" y="126" font-size="11" text-anchor="middle">${d}°</text>`).join('')}</svg>`;
}

function frameSection({ frame, reference, figures, before, made, pictures, warnings }: ShotReport['frames'][number]): string {
  const rows =
    figures === null || before === null
      ? ''
      : `<table><tr><th>Against ${text(reference ?? '')}</th><th>where it is blurred</th><th>whole frame</th><th>SSIM</th><th>largest</th></tr><tr><td>sharp</td><td>${decibel(before.maskedPsnr)}</td><td>${decibel(before.psnr)}</td><td>${before.ssim.toFixed(4)}</td><td>${before.maxAbs.toPrecision(3)}</td></tr><tr><td class="word">blurred</td><td class="word">${decibel(figures.maskedPsnr)}</td><td>${decibel(figures.psnr)}</td><td>${figures.ssim.toFixed(4)}</td><td>${figures.maxAbs.toPrecision(3)} at ${figures.maxAt.x}, ${figures.maxAt.y}</td></tr></table>`;
  return `<section><h2>Frame ${frame}</h2>${rows}<div class="pictures">${pictures
    .map(
      ({ title, base64 }) =>
        `<figure><img alt="${text(title)}" src="data:image/png;base64,${base64}"><figcaption>${text(title)}</figcaption></figure>`,
    )
    .join('')}</div><p class="quiet">${text(made)}</p>${warnings.map((w) => `<p class="quiet">${text(w)}</p>`).join('')}</section>`;
}

function encodingSection({ encoding, reading, repairs }: ShotReport): string {
  if (encoding === null) return '';
  const evidence =
    reading === null
      ? ''
      : `<p>Measured in frame ${reading.frame}: ${reading.evidence.measured} places, ${percent(reading.evidence.explained)} explained, sure to ${percent(reading.confidence)}.</p>${reading.symptoms
          .map((s) => `<p>${text(s.message)}</p>`)
          .join('')}${reading.evidence.plots.map(evidenceChart).join('')}`;
  const mended = repairs.filter((r) => r.on).map((r) => r.kind);
  return `<section><h2>How the motion is stored</h2><p>${text(describeEncoding(encoding))}</p>${mended.length === 0 ? '' : `<p>Mended on the way: ${text(mended.join(', '))}.</p>`}${evidence}<h3>Encoding document</h3><pre style="font-size:8.5pt;white-space:pre-wrap">${text(JSON.stringify(encoding, null, 1))}</pre></section>`;
}

/** Measured motion against the stored value, with the reading's line. */
function evidenceChart({ channel, points, line }: NonNullable<ShotReport['reading']>['evidence']['plots'][number]): string {
  const xs = line.map((p) => p.stored),
    ys = line.map((p) => p.measured);
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const x = (v: number) => 50 + ((v - x0) / Math.max(1e-9, x1 - x0)) * 520,
    y = (v: number) => 130 - ((v - y0) / Math.max(1e-9, y1 - y0)) * 116;
  const dots = points
    .filter((p) => p.measured >= y0 && p.measured <= y1)
    .slice(0, MOST_DOTS)
    .map((p) => `<circle cx="${x(p.stored).toFixed(1)}" cy="${y(p.measured).toFixed(1)}" r="1.6" fill="${p.fits ? '#333' : '#c0392b'}"/>`);
  return `<figure><svg viewBox="0 0 600 150">${dots.join('')}<polyline fill="none" stroke="#c9902f" stroke-width="1.5" points="${line
    .map((p) => `${x(p.stored).toFixed(1)},${y(p.measured).toFixed(1)}`)
    .join(
      ' ',
    )}"/><text x="50" y="146" font-size="10">${x0.toPrecision(3)}</text><text x="570" y="146" font-size="10" text-anchor="end">${x1.toPrecision(3)}</text><text x="46" y="20" font-size="10" text-anchor="end">${y1.toFixed(0)}</text><text x="46" y="132" font-size="10" text-anchor="end">${y0.toFixed(0)}</text></svg><figcaption>Measured pixels a frame against what ${text(channel)} holds</figcaption></figure>`;
}

const MOST_DOTS = 400;

function auditSection({ audit }: ShotReport): string {
  if (audit.length === 0) return '';
  const most = Math.max(1e-9, ...audit.map((f) => f.peakPx)),
    step = 560 / audit.length;
  const bars = audit.map((f, i) => {
    const h = (f.peakPx / most) * 90,
      isBad = f.clipped + f.nan + f.inf > 0;
    return `<rect x="${(20 + i * step + 1).toFixed(1)}" y="${(100 - h).toFixed(1)}" width="${Math.max(1, step - 2).toFixed(1)}" height="${h.toFixed(1)}" fill="${isBad ? '#c0392b' : '#777'}"/>`;
  });
  const bad = audit.filter((f) => f.clipped + f.nan + f.inf > 0).map((f) => f.frame);
  return `<section><h2>Speed over the shot</h2><svg viewBox="0 0 600 120">${bars.join('')}<text x="20" y="116" font-size="11">${audit[0].frame}</text><text x="580" y="116" font-size="11" text-anchor="end">${audit[audit.length - 1].frame}</text></svg><p>Longest vector ${most.toFixed(1)} px a frame.${bad.length === 0 ? ' Nothing is clipped.' : ` Clipped or damaged: frames ${bad.join(', ')}.`}</p></section>`;
}

function passesSection({ passes, findings }: ShotReport): string {
  return `<section><h2>Passes</h2><table><tr><th>Pass</th><th>Role</th><th>Frames</th><th>Channels</th><th>Compression</th></tr>${passes
    .map(
      (p) =>
        `<tr><td>${text(p.name)}<br><span class="quiet">${text(p.file)}</span></td><td>${text(p.role)}</td><td>${text(p.frames)}</td><td>${text(p.channels.join(', '))}</td><td>${text(p.compression)}</td></tr>`,
    )
    .join('')}</table>${findings.map((f) => `<p>${text(f)}</p>`).join('')}</section>`;
}
