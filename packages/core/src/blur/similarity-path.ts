/**
 * Path parameters of one pixel, (x, y, re, im).
 * arc: displacement d with gradient m is taken as one step of a similarity flow: lambda = log(1 + m), g = d / phi(lambda),
 * phi(x) = (e^x - 1) / x. The point then moves by phi(t lambda) t g: a circle, spiral or line.
 * line: (d, m) as they are.
 */
export function arcGenerator(dx: number, dy: number, mRe: number, mIm: number, out: Float64Array): void {
  const aRe = 1 + mRe,
    norm = Math.hypot(aRe, mIm);
  // A fold or a collapse within one frame is no rigid motion: the gradient is noise or an edge. Keep the vector alone.
  if (!(norm > 0.25 && norm < 4)) {
    out[0] = dx;
    out[1] = dy;
    out[2] = 0;
    out[3] = 0;
    return;
  }
  const lRe = Math.log(norm),
    lIm = Math.atan2(mIm, aRe);
  const [pRe, pIm] = phi(lRe, lIm);
  const square = pRe * pRe + pIm * pIm;
  out[0] = (dx * pRe + dy * pIm) / square;
  out[1] = (dy * pRe - dx * pIm) / square;
  out[2] = lRe;
  out[3] = lIm;
}

/** (e^x - 1) / x for a complex x; the series near 0, where the quotient loses digits. */
export function phi(re: number, im: number): readonly [number, number] {
  const square = re * re + im * im;
  if (square < 0.01) {
    let kr = 1 / 720,
      ki = 0;
    for (const c of [1 / 120, 1 / 24, 1 / 6, 1 / 2, 1]) [kr, ki] = [kr * re - ki * im + c, kr * im + ki * re];
    return [kr, ki];
  }
  const e = Math.exp(re),
    nRe = e * Math.cos(im) - 1,
    nIm = e * Math.sin(im);
  return [(nRe * re + nIm * im) / square, (nIm * re - nRe * im) / square];
}
