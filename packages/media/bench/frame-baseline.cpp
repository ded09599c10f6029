// The least that a frame can be: a plain gather with the reference EXR library. Reads picture and motion of one float file, moves every pixel's own
// vector through the exposure, 32 cubic samples a pixel, writes a half file, ZIP. No neighbours, nothing hidden, no surfaces: what is in front smears
// over what is behind. One thread. FIRST COUNT IN-PREFIX OUT-PREFIX: prints the CPU seconds of reading, gathering and writing.
#include <OpenEXR/ImfChannelList.h>
#include <OpenEXR/ImfFrameBuffer.h>
#include <OpenEXR/ImfHeader.h>
#include <OpenEXR/ImfInputFile.h>
#include <OpenEXR/ImfOutputFile.h>
#include <Imath/half.h>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <ctime>
#include <string>
#include <vector>

using namespace OPENEXR_IMF_NAMESPACE;

static double now() {
  timespec t;
  clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &t);
  return t.tv_sec + t.tv_nsec * 1e-9;
}

static void weights4(float t, float* w) {
  w[0] = ((-0.5f * t + 1.0f) * t - 0.5f) * t;
  w[1] = (1.5f * t - 2.5f) * t * t + 1.0f;
  w[2] = ((-1.5f * t + 2.0f) * t + 0.5f) * t;
  w[3] = (0.5f * t - 0.5f) * t * t;
}

int main(int argc, char** argv) {
  if (argc < 5) return 2;
  const int first = atoi(argv[1]), count = atoi(argv[2]), slices = 32;
  double reading = 0, gathering = 0, writing = 0;
  for (int frame = first; frame < first + count; frame++) {
    double from = now();
    InputFile in((argv[3] + std::to_string(frame) + ".exr").c_str(), 0);
    const auto box = in.header().dataWindow();
    const int w = box.max.x - box.min.x + 1, h = box.max.y - box.min.y + 1;
    std::vector<float> colour(size_t(w) * h * 4), motion(size_t(w) * h * 4), other(size_t(w) * h * 2);
    FrameBuffer wanted;
    const char* colours[4] = {"R", "G", "B", "A"};
    const char* vectors[4] = {"motion.prevX", "motion.prevY", "motion.nextX", "motion.nextY"};
    for (int c = 0; c < 4; c++) {
      wanted.insert(colours[c], Slice(FLOAT, (char*)&colour[c], 16, size_t(w) * 16));
      wanted.insert(vectors[c], Slice(FLOAT, (char*)&motion[c], 16, size_t(w) * 16));
    }
    wanted.insert("depth.Z", Slice(FLOAT, (char*)&other[0], 8, size_t(w) * 8));
    wanted.insert("id.object", Slice(FLOAT, (char*)&other[1], 8, size_t(w) * 8));
    in.setFrameBuffer(wanted);
    in.readPixels(box.min.y, box.max.y);
    reading += now() - from;
    from = now();
    std::vector<half> out(size_t(w) * h * 4);
    for (int y = 0; y < h; y++)
      for (int x = 0; x < w; x++) {
        const size_t i = (size_t(y) * w + x) * 4;
        float sum[4] = {0, 0, 0, 0};
        for (int s = 0; s < slices; s++) {
          const float t = -0.25f + 0.5f * (s + 0.5f) / slices;
          const float* v = &motion[t < 0 ? i : i + 2];
          const float px = std::min(std::max(x - v[0] * std::fabs(t), 0.0f), w - 1.001f), py = std::min(std::max(y - v[1] * std::fabs(t), 0.0f), h - 1.001f);
          const int ix = int(px), iy = int(py);
          float wx[4], wy[4];
          weights4(px - ix, wx);
          weights4(py - iy, wy);
          for (int b = 0; b < 4; b++) {
            const float* row = &colour[size_t(std::min(std::max(iy + b - 1, 0), h - 1)) * w * 4];
            for (int a = 0; a < 4; a++) {
              const float* tap = row + std::min(std::max(ix + a - 1, 0), w - 1) * 4;
              const float k = wx[a] * wy[b];
              for (int c = 0; c < 4; c++) sum[c] += k * tap[c];
            }
          }
        }
        for (int c = 0; c < 4; c++) out[i + c] = half(sum[c] / slices);
      }
    gathering += now() - from;
    from = now();
    Header header(w, h);
    header.compression() = ZIP_COMPRESSION;
    for (int c = 0; c < 4; c++) header.channels().insert(colours[c], Channel(HALF));
    OutputFile file((argv[4] + std::to_string(frame) + ".exr").c_str(), header, 0);
    FrameBuffer made;
    for (int c = 0; c < 4; c++) made.insert(colours[c], Slice(HALF, (char*)&out[c], 8, size_t(w) * 8));
    file.setFrameBuffer(made);
    file.writePixels(h);
    writing += now() - from;
  }
  printf("%f %f %f\n", reading, gathering, writing);
}
