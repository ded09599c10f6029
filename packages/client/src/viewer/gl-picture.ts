import { SHOULDER_START, SHOULDER_WHITE, type CubeLut, type DisplayTransform } from '@ivrex/core';
import type { ChannelView, Placement, Under } from './view-store';

export type TextureSlot = 'a' | 'b' | 'plate' | 'field';
export type TexturePixels =
  | { readonly kind: 'rgba16f'; readonly width: number; readonly height: number; readonly data: Uint16Array }
  | { readonly kind: 'rgba32f' | 'rg32f'; readonly width: number; readonly height: number; readonly data: Float32Array };

export interface DrawState {
  readonly mode: 'a' | 'b' | 'wipe' | 'directions' | 'speed' | 'beside' | 'difference' | 'error';
  /** Data are shown as they were mapped: no exposure, no transform. */
  readonly isData: boolean;
  readonly placement: Placement;
  readonly width: number;
  readonly height: number;
  /** A point on the wipe's edge, in shares of the picture, and where b lies from it (a unit vector in pixels). */
  readonly edge: { readonly x: number; readonly y: number; readonly toX: number; readonly toY: number };
  /** Differences are shown this much stronger. */
  readonly gain: number;
  readonly signed: boolean;
  readonly exposure: number;
  readonly gamma: number;
  readonly saturation: number;
  readonly channel: ChannelView;
  readonly under: Under;
  readonly transform: DisplayTransform | 'lut';
  /** The curve that the table expects before it. */
  readonly lutInput: 'linear' | 'srgb';
  readonly peakSpeed: number;
}

const VERTEX = `#version 300 es
void main() { vec2 p = vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0; gl_Position = vec4(p, 0.0, 1.0); }`;

// The graphics card only shows: exposure, curve and what lies under alpha. The blur comes ready from the workers.
const FRAGMENT = `#version 300 es
precision highp float;
precision highp int;
precision highp sampler3D;
uniform sampler3D uCube;
uniform sampler2D uCurves;
uniform int uLutKind, uLutInput;
uniform float uLutSize;
uniform vec3 uLutMin, uLutMax;
uniform sampler2D uA, uB, uPlate, uField;
uniform vec2 uSize, uCanvas, uOrigin;
uniform vec4 uEdge;
uniform float uZoom, uStrength, uGain, uGamma, uSaturation, uPeak;
uniform int uMode, uSigned, uData, uChannel, uUnder, uTransform;
out vec4 colour;
vec3 srgb(vec3 v) { return mix(v * 12.92, 1.055 * pow(max(v, 0.0), vec3(1.0 / 2.4)) - 0.055, step(0.0031308, v)); }
vec3 rec709(vec3 v) { return mix(v * 4.5, 1.099 * pow(max(v, 0.0), vec3(0.45)) - 0.099, step(0.018, v)); }
// The identity up to the shoulder's start, then an exponential roll-off that reaches 1; see core's softShoulder.
vec3 shoulder(vec3 v) {
  const float start = ${SHOULDER_START.toFixed(6)}, room = 1.0 - start;
  float full = 1.0 - exp(-(${SHOULDER_WHITE.toFixed(6)} - start) / room);
  return mix(v, start + room * (1.0 - exp(-(v - start) / room)) / full, step(start, v));
}
vec3 table(vec3 v) {
  if (uLutInput == 1) v = srgb(v);
  vec3 p = clamp((v - uLutMin) / (uLutMax - uLutMin), 0.0, 1.0);
  p = (p * (uLutSize - 1.0) + 0.5) / uLutSize;
  if (uLutKind == 2) return texture(uCube, p).rgb;
  return vec3(texture(uCurves, vec2(p.r, 0.5)).r, texture(uCurves, vec2(p.g, 0.5)).g, texture(uCurves, vec2(p.b, 0.5)).b);
}
// Direction as a hue that turns once; four anchors a quarter turn apart keep opposite directions far apart.
vec3 direction(vec2 v) {
  float turn = atan(v.y, v.x);
  vec3 hue = 0.5 + 0.5 * cos(turn + vec3(0.0, -2.0944, 2.0944));
  float amount = clamp(length(v) / max(uPeak, 1e-6), 0.0, 1.0);
  return mix(vec3(0.13), 0.25 + 0.75 * hue, sqrt(amount));
}
vec3 heat(float t) { return clamp(vec3(1.6 * t, 2.2 * t * t - 0.5 * t, 3.0 * t * t * t - 1.6 * t * t + 0.25 * sin(3.14159 * t)) + 0.07, 0.0, 1.0); }
void main() {
  vec2 p = (vec2(gl_FragCoord.x, uCanvas.y - gl_FragCoord.y) - uOrigin) / uZoom;
  // Beside each other: the middle of the canvas is seen twice.
  bool second = uMode == 5 && gl_FragCoord.x > uCanvas.x * 0.5;
  if (uMode == 5) {
    if (abs(gl_FragCoord.x - uCanvas.x * 0.5) < 1.5) { colour = vec4(0.0); return; }
    p.x += (second ? -0.25 : 0.25) * uCanvas.x / uZoom;
  }
  if (p.x < 0.0 || p.y < 0.0 || p.x >= uSize.x || p.y >= uSize.y) { colour = vec4(0.0); return; }
  vec2 uv = p / uSize;
  if (uMode == 3 || uMode == 4) {
    vec2 v = texture(uField, uv).xy;
    colour = vec4(uMode == 3 ? direction(v) : heat(clamp(length(v) / max(uPeak, 1e-6), 0.0, 1.0)), 1.0);
    return;
  }
  if (uMode >= 6) {
    vec4 d = texture(uA, uv) - texture(uB, uv);
    if (uMode == 7) {
      float most = max(max(abs(d.r), abs(d.g)), max(abs(d.b), abs(d.a)));
      colour = vec4(heat(clamp(most * uStrength, 0.0, 1.0)), 1.0);
    } else colour = vec4(clamp(uSigned == 1 ? 0.5 + 0.5 * d.rgb * uStrength : abs(d.rgb) * uStrength, 0.0, 1.0), 1.0);
    return;
  }
  bool wiped = uMode == 2 && dot((uv - uEdge.xy) * uSize, uEdge.zw) > 0.0;
  vec4 c;
  if (uMode == 1 || wiped || second) c = texture(uB, uv);
  else c = texture(uA, uv);
  if (uData == 1) { colour = vec4(c.rgb, 1.0); return; }
  if (uChannel == 4) { colour = vec4(vec3(c.a), 1.0); return; }
  ivec2 cell = ivec2(p * uZoom / 12.0);
  vec3 under = vec3(0.0);
  if (uUnder == 0) under = vec3(((cell.x + cell.y) & 1) == 0 ? 0.16 : 0.22);
  else if (uUnder == 2) under = vec3(0.18);
  else if (uUnder == 3) under = texture(uPlate, uv).rgb;
  vec3 v = c.rgb + (1.0 - clamp(c.a, 0.0, 1.0)) * under;
  v *= uGain;
  float y = dot(v, vec3(0.2126, 0.7152, 0.0722));
  v = mix(vec3(y), v, uSaturation);
  if (uChannel == 1) v = v.rrr; else if (uChannel == 2) v = v.ggg; else if (uChannel == 3) v = v.bbb;
  if (uTransform == 2) v = shoulder(max(v, 0.0));
  if (uTransform == 0 || uTransform == 2) v = srgb(v);
  else if (uTransform == 1) v = rec709(v);
  else if (uTransform == 4) v = table(v);
  v = clamp(v, 0.0, 1.0);
  if (uGamma != 1.0) v = pow(v, vec3(1.0 / uGamma));
  colour = vec4(v, 1.0);
}`;

const SLOTS: readonly TextureSlot[] = ['a', 'b', 'plate', 'field'];
const CUBE_UNIT = 4,
  CURVES_UNIT = 5,
  /** A longer curve is thinned: no screen shows more steps. */
  MOST_CURVE = 4096;

/** The picture on a canvas. One instance a canvas; nothing here decides anything. */
export class GlPicture {
  private readonly gl: WebGL2RenderingContext;
  private readonly program: WebGLProgram;
  private readonly textures = new Map<TextureSlot, { texture: WebGLTexture; source: TexturePixels['data'] | null }>();
  private readonly filtersFloat: boolean;
  private lut: CubeLut | null = null;
  /** What the canvas shows: everything that was drawn with, but for textures. */
  private drawn = '';

  constructor(private readonly canvas: HTMLCanvasElement) {
    const gl = canvas.getContext('webgl2', { antialias: false, premultipliedAlpha: true, preserveDrawingBuffer: true });
    if (gl === null)
      throw new Error(
        'This browser offers no WebGL 2, which the picture needs. Switch graphics acceleration on, or use a current Chromium or Firefox.',
      );
    this.gl = gl;
    this.filtersFloat = gl.getExtension('OES_texture_float_linear') !== null;
    this.program = this.compile();
    gl.useProgram(this.program);
    SLOTS.forEach((slot, unit) => {
      const texture = gl.createTexture();
      gl.activeTexture(gl.TEXTURE0 + unit);
      gl.bindTexture(gl.TEXTURE_2D, texture);
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA8, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
      for (const wrap of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T]) gl.texParameteri(gl.TEXTURE_2D, wrap, gl.CLAMP_TO_EDGE);
      this.textures.set(slot, { texture, source: null });
      gl.uniform1i(this.at(`u${slot[0].toUpperCase()}${slot.slice(1)}`), unit);
    });
    this.openLutTextures();
  }

  private compile(): WebGLProgram {
    const { gl } = this;
    const program = gl.createProgram();
    for (const [type, source] of [
      [gl.VERTEX_SHADER, VERTEX],
      [gl.FRAGMENT_SHADER, FRAGMENT],
    ] as const) {
      const shader = gl.createShader(type);
      if (shader === null) throw new Error('The graphics context was lost.');
      gl.shaderSource(shader, source);
      gl.compileShader(shader);
      if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader) ?? 'shader');
      gl.attachShader(program, shader);
    }
    gl.linkProgram(program);
    return program;
  }

  private at(name: string): WebGLUniformLocation | null {
    return this.gl.getUniformLocation(this.program, name);
  }

  /** The display table; halves, so that every card interpolates it. Null keeps the last one, unused. */
  setLut(lut: CubeLut | null): void {
    if (lut === null || lut === this.lut) return;
    const { gl } = this;
    this.lut = lut;
    this.drawn = '';
    const isCube = lut.kind === 'cube',
      size = isCube ? lut.size : Math.min(lut.size, MOST_CURVE);
    const count = isCube ? size ** 3 : size;
    const rgba = new Float32Array(count * 4);
    for (let i = 0; i < count; i++) {
      const from = isCube ? i : Math.round((i * (lut.size - 1)) / (size - 1));
      for (let c = 0; c < 3; c++) rgba[i * 4 + c] = lut.values[from * 3 + c];
    }
    if (isCube) {
      gl.activeTexture(gl.TEXTURE0 + CUBE_UNIT);
      gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGBA16F, size, size, size, 0, gl.RGBA, gl.FLOAT, rgba);
    } else {
      gl.activeTexture(gl.TEXTURE0 + CURVES_UNIT);
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, size, 1, 0, gl.RGBA, gl.FLOAT, rgba);
    }
    gl.uniform1f(this.at('uLutSize'), size);
    gl.uniform3f(this.at('uLutMin'), ...lut.domainMin);
    gl.uniform3f(this.at('uLutMax'), ...lut.domainMax);
  }

  private openLutTextures(): void {
    const { gl } = this;
    for (const [unit, target, name] of [
      [CUBE_UNIT, gl.TEXTURE_3D, 'uCube'],
      [CURVES_UNIT, gl.TEXTURE_2D, 'uCurves'],
    ] as const) {
      gl.activeTexture(gl.TEXTURE0 + unit);
      gl.bindTexture(target, gl.createTexture());
      for (const wrap of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T, gl.TEXTURE_WRAP_R]) gl.texParameteri(target, wrap, gl.CLAMP_TO_EDGE);
      gl.texParameteri(target, gl.TEXTURE_MIN_FILTER, gl.LINEAR);
      gl.texParameteri(target, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
      gl.uniform1i(this.at(name), unit);
    }
    const one = new Uint8Array(4);
    gl.activeTexture(gl.TEXTURE0 + CUBE_UNIT);
    gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGBA8, 1, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, one);
    gl.activeTexture(gl.TEXTURE0 + CURVES_UNIT);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA8, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, one);
  }

  /** Uploads only what changed. */
  setTexture(slot: TextureSlot, pixels: TexturePixels | null): void {
    const { gl } = this;
    const known = this.textures.get(slot);
    if (known === undefined || known.source === (pixels?.data ?? null)) return;
    known.source = pixels?.data ?? null;
    if (pixels === null) return;
    this.drawn = '';
    gl.activeTexture(gl.TEXTURE0 + SLOTS.indexOf(slot));
    const { width, height } = pixels;
    if (pixels.kind === 'rgba16f') gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, width, height, 0, gl.RGBA, gl.HALF_FLOAT, pixels.data);
    else if (pixels.kind === 'rgba32f') gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, width, height, 0, gl.RGBA, gl.FLOAT, pixels.data);
    else gl.texImage2D(gl.TEXTURE_2D, 0, gl.RG32F, width, height, 0, gl.RG, gl.FLOAT, pixels.data);
  }

  /** What is on the canvas already is not drawn again: without a graphics card that takes as long as a draft of the blur. */
  draw(state: DrawState): void {
    const { gl, canvas } = this,
      asked = JSON.stringify([state, canvas.width, canvas.height]);
    if (asked === this.drawn) return;
    this.drawn = asked;
    gl.viewport(0, 0, canvas.width, canvas.height);
    gl.clearColor(0, 0, 0, 0);
    gl.clear(gl.COLOR_BUFFER_BIT);
    const smooth = state.placement.zoom < 1;
    SLOTS.forEach((_, unit) => {
      gl.activeTexture(gl.TEXTURE0 + unit);
      const filter = smooth && this.filtersFloat && unit < 3 ? gl.LINEAR : gl.NEAREST;
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, filter);
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    });
    gl.uniform2f(this.at('uSize'), state.width, state.height);
    gl.uniform2f(this.at('uCanvas'), canvas.width, canvas.height);
    gl.uniform2f(this.at('uOrigin'), state.placement.x, state.placement.y);
    gl.uniform4f(this.at('uEdge'), state.edge.x, state.edge.y, state.edge.toX, state.edge.toY);
    const floats: Record<string, number> = {
      uZoom: state.placement.zoom,
      uStrength: state.gain,
      uGain: 2 ** state.exposure,
      uGamma: state.gamma,
      uSaturation: state.saturation,
      uPeak: state.peakSpeed,
    };
    for (const [name, value] of Object.entries(floats)) gl.uniform1f(this.at(name), value);
    const choices: Record<string, number> = {
      uMode: ['a', 'b', 'wipe', 'directions', 'speed', 'beside', 'difference', 'error'].indexOf(state.mode),
      uSigned: state.signed ? 1 : 0,
      uData: state.isData ? 1 : 0,
      uChannel: ['all', 'r', 'g', 'b', 'a'].indexOf(state.channel),
      uUnder: ['checker', 'black', 'grey', 'plate'].indexOf(state.under),
      uTransform: ['srgb', 'rec709', 'shoulder', 'linear', 'lut'].indexOf(state.transform),
      uLutKind: this.lut === null ? 0 : this.lut.kind === 'curves' ? 1 : 2,
      uLutInput: state.lutInput === 'srgb' ? 1 : 0,
    };
    for (const [name, value] of Object.entries(choices)) gl.uniform1i(this.at(name), value);
    gl.drawArrays(gl.TRIANGLES, 0, 3);
  }
}
