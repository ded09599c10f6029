// The reference library's side of the conformance tests: writes files of every compression, type and layout, and says what it reads
// in a file, sample by sample. Built by the tests with Debian's libopenexr-dev.
//
//   exr-oracle write OUT COMPRESSION TYPES LAYOUT      TYPES: half float uint mixed; LAYOUT: see `write`
//   exr-oracle grid OUT COMPRESSION TYPES TILE LEVELS ORDER PLACE PARTS
//                                                      tiled: LEVELS one, mip-down, mip-up, rip-down, rip-up; ORDER down, up, random;
//                                                      PLACE of the data window origin, before, after; PARTS one, three
//   exr-oracle dump FILE PART OUT                      for each channel: its samples as float64, in the order of names
//   exr-oracle decode FILE CHANNELS REPEATS            CPU seconds of the fastest decode into float buffers (for the bench)
//   exr-oracle encode FILE COMPRESSION LEVEL REPEATS   CPU seconds of the fastest encode of that file's pixels
#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfInputFile.h>
#include <ImfInputPart.h>
#include <ImfMultiPartInputFile.h>
#include <ImfMultiPartOutputFile.h>
#include <ImfOutputFile.h>
#include <ImfOutputPart.h>
#include <ImfPartType.h>
#include <ImfStandardAttributes.h>
#include <ImfThreading.h>
#include <ImfTiledOutputFile.h>
#include <ImfTiledOutputPart.h>
#include <ImfIO.h>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <ctime>
#include <iostream>
#include <map>
#include <string>
#include <vector>

using namespace OPENEXR_IMF_NAMESPACE;
using IMATH_NAMESPACE::Box2i;
using IMATH_NAMESPACE::V2i;

static const std::map<std::string, Compression> COMPRESSIONS = {
    {"none", NO_COMPRESSION}, {"rle", RLE_COMPRESSION},     {"zips", ZIPS_COMPRESSION}, {"zip", ZIP_COMPRESSION},   {"piz", PIZ_COMPRESSION},
    {"pxr24", PXR24_COMPRESSION}, {"b44", B44_COMPRESSION}, {"b44a", B44A_COMPRESSION}, {"dwaa", DWAA_COMPRESSION}, {"dwab", DWAB_COMPRESSION}};

static uint32_t hash (uint32_t x) {
    x ^= x >> 16; x *= 0x7feb352du; x ^= x >> 15; x *= 0x846ca68bu; x ^= x >> 16;
    return x;
}

/// A smooth picture with an edge, a little grain, a flat patch and some extreme values.
static double valueAt (int x, int y, int channel) {
    if (x % 17 < 6 && y % 13 < 5) return 0.25 * (channel + 1);
    double grain = (hash (x * 73856093u ^ y * 19349663u ^ channel * 83492791u) / 4294967296.0 - 0.5) * 0.02;
    double v = 0.4 + 0.3 * std::sin (x * 0.13 + channel) + 0.2 * std::cos (y * 0.21 - channel * 0.7) + grain;
    if (x > y + 9) v *= 3.5;
    if (channel == 3) v = std::min (1.0, std::max (0.0, v));
    return v;
}

struct Plane {
    std::vector<char> bytes;
    PixelType         type;
    int               sampling;
};

static size_t sizeOf (PixelType type) { return type == HALF ? 2 : 4; }

static void put (Plane& plane, size_t index, double v, int x, int y, int c) {
    char* at = plane.bytes.data () + index * sizeOf (plane.type);
    if (plane.type == HALF) { half h = (float) v; std::memcpy (at, &h, 2); }
    else if (plane.type == FLOAT) { float f = (float) v; std::memcpy (at, &f, 4); }
    else { uint32_t u = c % 2 ? hash (x / 4 + y / 4 * 1000) : (uint32_t) (v * 1000); std::memcpy (at, &u, 4); }
}

static int down (int a, int b) { return (int) std::floor ((double) a / b); }
static int count (int from, int to, int s) { return down (to, s) - (int) std::ceil ((double) from / s) + 1; }

static Slice sliceOf (Plane& plane, const Box2i& window, int width) {
    size_t bytes = sizeOf (plane.type);
    int    s = plane.sampling, w = count (window.min.x, window.max.x, s);
    char*  base = plane.bytes.data () - ((long) std::ceil ((double) window.min.y / s) * w + (long) std::ceil ((double) window.min.x / s)) * (long) bytes;
    (void) width;
    return Slice (plane.type, base, bytes, bytes * w, s, s);
}

static std::map<std::string, Plane> addChannels (Header& header, const std::vector<std::string>& names, const std::string& types, const std::string& layout) {
    Box2i                        window = header.dataWindow ();
    std::map<std::string, Plane> planes;
    int                          c = 0;
    for (auto& name : names) {
        PixelType type = types == "half" ? HALF : types == "float" ? FLOAT : types == "uint" ? UINT : (c % 3 == 0 ? HALF : c % 3 == 1 ? FLOAT : UINT);
        int       s = layout == "subsampled" && (name == "RY" || name == "BY") ? 2 : 1;
        header.channels ().insert (name, Channel (type, s, s, layout == "linear"));
        Plane plane {{}, type, s};
        int   w = count (window.min.x, window.max.x, s), h = count (window.min.y, window.max.y, s);
        plane.bytes.resize ((size_t) w * h * sizeOf (type));
        for (int y = 0; y < h; y++)
            for (int x = 0; x < w; x++) put (plane, (size_t) y * w + x, valueAt (x, y, c), x, y, c);
        planes[name] = plane;
        c++;
    }
    return planes;
}

/// Every tile of every level; in an order of its own where the file leaves it open.
template <class Out>
static void writeLevels (Out& file, LineOrder order) {
    for (int ly = 0; ly < file.numYLevels (); ly++)
        for (int lx = 0; lx < file.numXLevels (); lx++) {
            if (!file.isValidLevel (lx, ly)) continue;
            int across = file.numXTiles (lx), n = across * file.numYTiles (ly), step = n % 7 == 0 ? 1 : 7;
            if (order != RANDOM_Y) file.writeTiles (0, across - 1, 0, file.numYTiles (ly) - 1, lx, ly);
            else
                for (int i = n - 1; i >= 0; i--) file.writeTile (i * step % n % across, i * step % n / across, lx, ly);
        }
}

static int write (const std::string& out, const std::string& compression, const std::string& types, const std::string& layout) {
    Box2i display (V2i (0, 0), V2i (66, 44)), window = display;
    if (layout == "offset") window = Box2i (V2i (-7, 5), V2i (40, 61));
    if (layout == "subsampled") window = Box2i (V2i (-6, 4), V2i (57, 49));
    if (layout == "one") display = window = Box2i (V2i (0, 0), V2i (0, 0));
    if (layout == "row") display = window = Box2i (V2i (0, 0), V2i (4999, 0));
    if (layout == "column") display = window = Box2i (V2i (0, 0), V2i (0, 299));
    Header header (display, window, 1, IMATH_NAMESPACE::V2f (0, 0), 1, layout == "decreasing" ? DECREASING_Y : INCREASING_Y, COMPRESSIONS.at (compression));
    addComments (header, "the mill turns at low tide");
    addFramesPerSecond (header, Rational (24, 1));

    std::vector<std::string> names = {"R", "G", "B", "A"};
    if (layout == "layers") names = {"R", "G", "B", "A", "wheel.R", "wheel.G", "wheel.B", "wheel.near.side.A", "motion.u", "motion.v", "Z", "id"};
    if (layout == "hundreds") { names.clear (); for (int i = 0; i < 240; i++) names.push_back ("light" + std::to_string (i) + ".Y"); }
    if (layout == "subsampled") names = {"Y", "RY", "BY", "A"};
    if (layout == "long") names.push_back ("a.layer.whose.name.is.longer.than.thirty-one.characters.R");
    std::map<std::string, Plane> planes = addChannels (header, names, types, layout);
    FrameBuffer buffer;
    for (auto& entry : planes) buffer.insert (entry.first, sliceOf (entry.second, window, 0));
    int height = window.max.y - window.min.y + 1;
    if (layout == "tiles" || layout == "mipmap" || layout == "ripmap" || layout == "mipmap-up" || layout == "tiles-random") {
        header.setTileDescription (TileDescription (16, 24, layout == "tiles" || layout == "tiles-random" ? ONE_LEVEL : layout == "ripmap" ? RIPMAP_LEVELS : MIPMAP_LEVELS, layout == "mipmap-up" ? ROUND_UP : ROUND_DOWN));
        if (layout == "tiles-random") header.lineOrder () = RANDOM_Y;
        TiledOutputFile file (out.c_str (), header);
        file.setFrameBuffer (buffer);
        writeLevels (file, header.lineOrder ());
        return 0;
    }
    OutputFile file (out.c_str (), header);
    file.setFrameBuffer (buffer);
    file.writePixels (height);
    return 0;
}

/// Tiles of one size in every layout of levels; as the only part, or between two of lines.
static int writeGrid (const std::string& out, const std::string& compression, const std::string& types, int tile, const std::string& levels,
                      const std::string& order, const std::string& place, bool inParts) {
    Box2i display (V2i (0, 0), V2i (299, 209)), window = display;
    if (place == "before") window = Box2i (V2i (-31, -17), V2i (230, 120));
    if (place == "after") window = Box2i (V2i (19, 43), V2i (331, 250));
    LineOrder                    lines = order == "up" ? DECREASING_Y : order == "random" ? RANDOM_Y : INCREASING_Y;
    std::vector<std::string>     names = {"R", "G", "B", "A", "motion.u", "id"};
    std::vector<Header>          headers;
    std::map<std::string, Plane> planes;
    for (int part = 0; part < (inParts ? 3 : 1); part++) {
        bool   isTiled = !inParts || part == 1;
        Header header (display, window, 1, IMATH_NAMESPACE::V2f (0, 0), 1, isTiled ? lines : INCREASING_Y, COMPRESSIONS.at (compression));
        planes = addChannels (header, names, types, "grid");
        if (inParts) header.setName ("part" + std::to_string (part));
        if (inParts) header.setType (isTiled ? TILEDIMAGE : SCANLINEIMAGE);
        LevelMode mode = levels == "one" ? ONE_LEVEL : levels[0] == 'm' ? MIPMAP_LEVELS : RIPMAP_LEVELS;
        if (isTiled) header.setTileDescription (TileDescription (tile, tile, mode, levels.find ("up") != std::string::npos ? ROUND_UP : ROUND_DOWN));
        headers.push_back (header);
    }
    FrameBuffer buffer;
    for (auto& entry : planes) buffer.insert (entry.first, sliceOf (entry.second, window, 0));
    if (!inParts) {
        TiledOutputFile file (out.c_str (), headers[0]);
        file.setFrameBuffer (buffer);
        writeLevels (file, lines);
        return 0;
    }
    MultiPartOutputFile file (out.c_str (), headers.data (), (int) headers.size ());
    for (int part = 0; part < 3; part++) {
        if (part == 1) {
            TiledOutputPart tiles (file, part);
            tiles.setFrameBuffer (buffer);
            writeLevels (tiles, lines);
        } else {
            OutputPart rows (file, part);
            rows.setFrameBuffer (buffer);
            rows.writePixels (window.max.y - window.min.y + 1);
        }
    }
    return 0;
}

template <class In>
static std::map<std::string, Plane> readAll (In& in, const std::vector<std::string>* only = nullptr) {
    const Header& header = in.header ();
    Box2i         window = header.dataWindow ();
    std::map<std::string, Plane> planes;
    FrameBuffer                  buffer;
    for (auto i = header.channels ().begin (); i != header.channels ().end (); ++i) {
        if (only) { bool wanted = false; for (auto& n : *only) wanted |= n == i.name (); if (!wanted) continue; }
        int s = i.channel ().xSampling;
        Plane plane {{}, i.channel ().type, s};
        plane.bytes.resize ((size_t) count (window.min.x, window.max.x, s) * count (window.min.y, window.max.y, s) * sizeOf (plane.type));
        planes[i.name ()] = plane;
    }
    for (auto& entry : planes) buffer.insert (entry.first, sliceOf (entry.second, window, 0));
    in.setFrameBuffer (buffer);
    in.readPixels (window.min.y, window.max.y);
    return planes;
}

static int dump (const std::string& path, int part, const std::string& out) {
    MultiPartInputFile file (path.c_str ());
    InputPart          in (file, part);
    auto               planes = readAll (in);
    FILE*              to = std::fopen (out.c_str (), "wb");
    for (auto& entry : planes) {
        const Plane& p = entry.second;
        for (size_t i = 0; i < p.bytes.size () / sizeOf (p.type); i++) {
            double      v;
            const char* at = p.bytes.data () + i * sizeOf (p.type);
            if (p.type == HALF) { half h; std::memcpy (&h, at, 2); v = (float) h; }
            else if (p.type == FLOAT) { float f; std::memcpy (&f, at, 4); v = f; }
            else { uint32_t u; std::memcpy (&u, at, 4); v = u; }
            std::fwrite (&v, 8, 1, to);
        }
        std::printf ("%s %zu\n", entry.first.c_str (), p.bytes.size () / sizeOf (p.type));
    }
    std::fclose (to);
    return 0;
}

static double cpu () { timespec t; clock_gettime (CLOCK_PROCESS_CPUTIME_ID, &t); return t.tv_sec + t.tv_nsec * 1e-9; }

/// A file in memory, so that the disk has no part in the measure.
class MemoryStream : public IStream {
public:
    MemoryStream (const std::vector<char>& d) : IStream ("memory"), data (d) {}
    bool     read (char c[], int n) override { std::memcpy (c, data.data () + at, n); at += n; return at < data.size (); }
    uint64_t tellg () override { return at; }
    void     seekg (uint64_t pos) override { at = pos; }
private:
    const std::vector<char>& data;
    uint64_t                 at = 0;
};
class MemoryOut : public OStream {
public:
    MemoryOut () : OStream ("memory") {}
    void     write (const char c[], int n) override { if (data.size () < at + n) data.resize (at + n); std::memcpy (data.data () + at, c, n); at += n; }
    uint64_t tellp () override { return at; }
    void     seekp (uint64_t pos) override { at = pos; }
    std::vector<char> data;
private:
    uint64_t at = 0;
};

static std::vector<char> load (const std::string& path) {
    FILE* f = std::fopen (path.c_str (), "rb");
    std::fseek (f, 0, SEEK_END);
    std::vector<char> bytes (std::ftell (f));
    std::fseek (f, 0, SEEK_SET);
    if (std::fread (bytes.data (), 1, bytes.size (), f) != bytes.size ()) std::abort ();
    std::fclose (f);
    return bytes;
}

/// Into float buffers, as a compositing program wants them.
static double decodeSeconds (const std::vector<char>& bytes, const std::vector<std::string>& names, int repeats) {
    double best = 1e9;
    for (int r = 0; r < repeats; r++) {
        double start = cpu ();
        MemoryStream stream (bytes);
        InputFile    in (stream, 0);
        Box2i        window = in.header ().dataWindow ();
        size_t       w = window.max.x - window.min.x + 1, h = window.max.y - window.min.y + 1;
        std::vector<std::vector<float>> planes;
        FrameBuffer                     buffer;
        for (auto i = in.header ().channels ().begin (); i != in.header ().channels ().end (); ++i) {
            bool wanted = names.empty ();
            for (auto& n : names) wanted |= n == i.name ();
            if (!wanted) continue;
            planes.emplace_back (w * h);
            buffer.insert (i.name (), Slice (FLOAT, (char*) (planes.back ().data () - (window.min.y * (long) w + window.min.x)), 4, 4 * w));
        }
        in.setFrameBuffer (buffer);
        in.readPixels (window.min.y, window.max.y);
        best = std::min (best, cpu () - start);
    }
    return best;
}

static double encodeSeconds (const std::string& path, const std::string& compression, int level, int repeats, size_t& size) {
    MultiPartInputFile file (path.c_str ());
    InputPart          in (file, 0);
    auto               planes = readAll (in);
    double             best = 1e9;
    for (int r = 0; r < repeats; r++) {
        Header header = in.header ();
        header.compression () = COMPRESSIONS.at (compression);
        header.zipCompressionLevel () = level;
        double    start = cpu ();
        MemoryOut stream;
        {
            OutputFile  out (stream, header, 0);
            FrameBuffer buffer;
            for (auto& entry : planes) buffer.insert (entry.first, sliceOf (entry.second, header.dataWindow (), 0));
            out.setFrameBuffer (buffer);
            out.writePixels (header.dataWindow ().max.y - header.dataWindow ().min.y + 1);
        }
        best = std::min (best, cpu () - start);
        size = stream.data.size ();
    }
    return best;
}

int main (int argc, char** argv) {
    setGlobalThreadCount (0);
    std::vector<std::string> a (argv + 1, argv + argc);
    try {
        if (a.size () == 5 && a[0] == "write") return write (a[1], a[2], a[3], a[4]);
        if (a.size () == 9 && a[0] == "grid") return writeGrid (a[1], a[2], a[3], std::stoi (a[4]), a[5], a[6], a[7], a[8] == "three");
        if (a.size () == 4 && a[0] == "dump") return dump (a[1], std::stoi (a[2]), a[3]);
        if (a.size () == 4 && a[0] == "decode") {
            std::vector<std::string> names;
            std::string              name;
            for (char ch : a[2] == "all" ? std::string () : a[2] + ",") { if (ch == ',') { names.push_back (name); name.clear (); } else name += ch; }
            std::printf ("%.6f\n", decodeSeconds (load (a[1]), names, std::stoi (a[3])));
            return 0;
        }
        if (a.size () == 5 && a[0] == "encode") {
            size_t size = 0;
            double seconds = encodeSeconds (a[1], a[2], std::stoi (a[3]), std::stoi (a[4]), size);
            std::printf ("%.6f %zu\n", seconds, size);
            return 0;
        }
    } catch (const std::exception& e) {
        std::fprintf (stderr, "%s\n", e.what ());
        return 1;
    }
    std::fprintf (stderr, "usage: see the head of exr-oracle.cpp\n");
    return 2;
}
