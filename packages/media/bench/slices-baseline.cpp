// The inner loop of the blur in plain C++, as a baseline for the kernel: the same layers, path nodes, slices and cubic filter, one thread.
// Where surfaces are curved, each place is settled by the path where it lies, as the kernel's are: five steps at most, to 0.02 px.
// Reads a problem from a file, renders it a few times, writes the picture, prints the least CPU seconds. Numbers are little-endian 32-bit:
// width, height, layers, slices, runs; times, weights; per layer x0 y0 width height, colour; path x0 y0 step (float) across down orders flow, nodes.
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <ctime>
#include <vector>

struct Layer {
  int32_t x0, y0, w, h;
  std::vector<float> colour;
  float px, py, step;
  int32_t across, down, orders, flow;
  std::vector<float> nodes;
};

static FILE* in;
static int32_t word() { int32_t v; if (fread(&v, 4, 1, in) != 1) exit(2); return v; }
static float real() { float v; if (fread(&v, 4, 1, in) != 1) exit(2); return v; }
static std::vector<float> reals(size_t n) { std::vector<float> v(n); if (fread(v.data(), 4, n, in) != n) exit(2); return v; }

static void weights4(float t, float* w) {
  w[0] = ((-0.5f * t + 1.0f) * t - 0.5f) * t;
  w[1] = (1.5f * t - 2.5f) * t * t + 1.0f;
  w[2] = ((-1.5f * t + 2.0f) * t + 0.5f) * t;
  w[3] = (0.5f * t - 0.5f) * t * t;
}

static const int MOST = 64;

/** The path at a place, from the four nodes around it. */
static void blend(const Layer& l, float u, float v, float* path) {
  const int ix = std::min<int>(int(u), l.across - 2), iy = std::min<int>(int(v), l.down - 2);
  const float fu = u - ix, fv = v - iy;
  const int step = l.orders * 8;
  const float* a = &l.nodes[(size_t(iy) * l.across + ix) * step];
  const float* c = a + size_t(l.across) * step;
  for (int k = 0; k < step; k++) {
    const float top = a[k] + (a[k + step] - a[k]) * fu, bottom = c[k] + (c[k + step] - c[k]) * fu;
    path[k] = top + (bottom - top) * fv;
  }
}

/** g and L of a path at a time. */
static void flowAt(const float* path, int orders, float t, float* p) {
  for (int k = 0; k < 6; k++) {
    float sum = path[(orders - 1) * 8 + k];
    for (int o = orders - 2; o >= 0; o--) sum = sum * t + path[o * 8 + k];
    p[k] = sum * t;
  }
}

/** phi(sign L) g. */
static void travel(const float* p, float sign, float& vx, float& vy) {
  static const float inverse[7] = {1 / 5040.f, 1 / 720.f, 1 / 120.f, 1 / 24.f, 1 / 6.f, 0.5f, 1};
  vx = p[0] / 40320; vy = p[1] / 40320;
  for (int k = 0; k < 7; k++) {
    const float nx = p[0] * inverse[k] + sign * (p[2] * vx + p[3] * vy);
    vy = p[1] * inverse[k] + sign * (p[4] * vx + p[5] * vy);
    vx = nx;
  }
}

/** Moves a place to where the path there leads to (x, y). */
static void settle(const Layer& l, float x, float y, float t, float& fx, float& fy) {
  for (int step = 0; step < 5; step++) {
    const float u = std::min(std::max((fx - l.px) / l.step, 0.f), float(l.across - 1)), v = std::min(std::max((fy - l.py) / l.step, 0.f), float(l.down - 1));
    float path[32], p[6], vx, vy;
    blend(l, u, v, path);
    flowAt(path, l.orders, t, p);
    travel(p, 1, vx, vy);
    const float rx = x - vx - fx, ry = y - vy - fy;
    const bool rests = rx * rx + ry * ry < 0.0004f;
    if (rests && step == 0) return;
    fx += rx - (p[2] * rx + p[3] * ry);
    fy += ry - (p[4] * rx + p[5] * ry);
    if (rests) return;
  }
}

int main(int argc, char** argv) {
  if (argc < 3 || !(in = fopen(argv[1], "rb"))) return 2;
  const int width = word(), height = word(), count = word(), slices = word(), runs = word();
  if (slices > MOST) return 2;
  const std::vector<float> times = reals(slices), shares = reals(slices);
  std::vector<Layer> layers(count);
  for (Layer& l : layers) {
    l.x0 = word(); l.y0 = word(); l.w = word(); l.h = word();
    l.colour = reals(size_t(l.w) * l.h * 4);
    l.px = real(); l.py = real(); l.step = real(); l.across = word(); l.down = word(); l.orders = word(); l.flow = word();
    l.nodes = reals(size_t(l.across) * l.down * l.orders * 8);
  }
  std::vector<float> out(size_t(width) * height * 4);
  double least = 1e30;
  std::vector<float> places(size_t(count) * 2 * MOST);
  std::vector<const Layer*> active(count);
  for (int run = 0; run < runs; run++) {
    const clock_t start = clock();
    for (int y = 0; y < height; y++) for (int x = 0; x < width; x++) {
      int n = 0;
      for (const Layer& l : layers) {
        const float u = (x - l.px) / l.step, v = (y - l.py) / l.step;
        if (!(u >= 0 && v >= 0 && u <= l.across - 1 && v <= l.down - 1)) continue;
        float path[32], p[6], vx, vy;
        blend(l, u, v, path);
        float* X = &places[size_t(n) * 2 * MOST];
        float* Y = X + MOST;
        for (int s = 0; s < slices; s++) {
          flowAt(path, l.orders, times[s], p);
          travel(p, -1, vx, vy);
          X[s] = x - vx;
          Y[s] = y - vy;
          // Far from colour nothing is looked for; and what is one flow is exact.
          if (!l.flow && X[s] > l.x0 - 8 && Y[s] > l.y0 - 8 && X[s] < l.x0 + l.w + 8 && Y[s] < l.y0 + l.h + 8) settle(l, x, y, times[s], X[s], Y[s]);
        }
        active[n++] = &l;
      }
      float sum[4] = {0, 0, 0, 0};
      for (int s = 0; s < slices; s++) {
        float over[4] = {0, 0, 0, 0}, clear = 1;
        for (int k = 0; k < n && clear >= 0.0005f; k++) {
          const Layer& l = *active[k];
          const float fx = places[size_t(k) * 2 * MOST + s], fy = places[(size_t(k) * 2 + 1) * MOST + s];
          const float gx = std::floor(fx), gy = std::floor(fy);
          const int ix = int(gx) - l.x0 - 1, iy = int(gy) - l.y0 - 1;
          if (ix < -3 || iy < -3 || ix >= l.w || iy >= l.h) continue;
          float wx[4], wy[4], c[4] = {0, 0, 0, 0};
          weights4(fx - gx, wx);
          weights4(fy - gy, wy);
          if (ix >= 0 && iy >= 0 && ix + 3 < l.w && iy + 3 < l.h) {
            const float* p = &l.colour[(size_t(iy) * l.w + ix) * 4];
            for (int r = 0; r < 4; r++, p += size_t(l.w) * 4) {
              float row[4];
              for (int j = 0; j < 4; j++) row[j] = p[j] * wx[0] + p[4 + j] * wx[1] + p[8 + j] * wx[2] + p[12 + j] * wx[3];
              for (int j = 0; j < 4; j++) c[j] += row[j] * wy[r];
            }
          } else
            for (int r = 0; r < 4; r++) for (int q = 0; q < 4; q++) {
              if (ix + q < 0 || iy + r < 0 || ix + q >= l.w || iy + r >= l.h) continue;
              const float* p = &l.colour[(size_t(iy + r) * l.w + ix + q) * 4];
              for (int j = 0; j < 4; j++) c[j] += p[j] * wx[q] * wy[r];
            }
          for (int j = 0; j < 4; j++) over[j] += c[j] * clear;
          clear = std::max(1 - over[3], 0.f);
        }
        for (int j = 0; j < 4; j++) sum[j] += over[j] * shares[s];
      }
      for (int j = 0; j < 4; j++) out[(size_t(y) * width + x) * 4 + j] = sum[j];
    }
    least = std::min(least, double(clock() - start) / CLOCKS_PER_SEC);
  }
  FILE* to = fopen(argv[2], "wb");
  if (!to || fwrite(out.data(), 4, out.size(), to) != out.size()) return 2;
  fclose(to);
  printf("%.6f\n", least);
}
