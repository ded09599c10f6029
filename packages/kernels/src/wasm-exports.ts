/** What `kernels.wasm` exports (the sources stand in `assembly/`). Arguments named for memory are byte addresses. */
export interface WasmExports {
  readonly memory: WebAssembly.Memory;
  heapStart(): number;
  undoPredictor(ptr: number, length: number): void;
  applyPredictor(src: number, out: number, length: number): void;
  deinterleave(src: number, out: number, length: number): void;
  splitHalvesToFloat(low: number, high: number, out: number, count: number): void;
  joinBytes(low: number, high: number, out: number, count: number): void;
  lookUp(data: number, count: number, table: number): void;
  halfToFloat(src: number, out: number, count: number): void;
  floatToHalf(src: number, out: number, count: number): void;
  huffmanWorkBytes(): number;
  undoHuffman(src: number, bytes: number, out: number, count: number, work: number): number;
  undoWavelet(data: number, width: number, stepX: number, height: number, stepY: number, maxValue: number): void;
  blockWorkBytes(): number;
  undoBlocks(ac: number, acCount: number, dc: number, components: number, width: number, height: number, out: number, work: number): number;
  layOutCells(record: number): number;
  measureCells(record: number, cells: number): void;
  nearBytes(record: number): number;
  nearWorkBytes(record: number): number;
  mapNear(record: number, map: number, work: number): void;
  renderBox(
    layers: number,
    layerCount: number,
    times: number,
    weights: number,
    slices: number,
    ends: number,
    parts: number,
    shares: number,
    x0: number,
    y0: number,
    width: number,
    height: number,
    arc: number,
    cubic: number,
    out: number,
    work: number,
  ): void;
  findHighlights(colour: number, width: number, height: number, box: number): number;
  takeHighlights(colour: number, width: number, height: number, box: number, lights: number): void;
  boxWorkBytes(slices: number, layerCount: number): number;
  gradePixels(
    rgba: number,
    count: number,
    tables: number,
    entries: number,
    firstStep: number,
    shift: number,
    saturation: number,
    hasLuma: number,
  ): void;
  gatherAperture(
    rgba: number,
    radii: number,
    shares: number,
    width: number,
    height: number,
    places: number,
    count: number,
    margin: number,
    x0: number,
    x1: number,
    y0: number,
    y1: number,
    out: number,
    outStride: number,
  ): void;
  lightOf(
    rgba: number,
    width: number,
    height: number,
    reduced: number,
    out: number,
    outWidth: number,
    outHeight: number,
    most: number,
  ): void;
  softenPicture(picture: number, width: number, height: number, along: number, out: number): void;
  halvePicture(picture: number, width: number, height: number, out: number, outWidth: number, outHeight: number): void;
  matchPoints(
    now: number,
    other: number,
    width: number,
    height: number,
    points: number,
    count: number,
    vectors: number,
    scales: number,
    scaleCount: number,
    step: number,
    patch: number,
    out: number,
  ): void;
  scorePoints(
    now: number,
    before: number,
    after: number,
    width: number,
    height: number,
    points: number,
    count: number,
    vectorsBefore: number,
    vectorsAfter: number,
    scales: number,
    scaleCount: number,
    tolerance: number,
    base: number,
    patch: number,
    out: number,
  ): void;
}
