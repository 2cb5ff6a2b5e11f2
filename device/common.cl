// What every kernel knows: where it works. Pictures lie plane by plane, rows without gaps. A strip has rows first to
// first + rows - 1 of a picture of `height` rows.
typedef struct {
  int width, rows, first, height, border;
  float fill;
} Place;

enum { EDGE, MIRROR, REFLECT, WRAP, FIXED };

// The row or column that stands for i of 0..n-1, -1 for the fill.
int inside(int i, int n, int border) {
  if (i >= 0 && i < n) return i;
  if (border == EDGE) return clamp(i, 0, n - 1);
  if (border == FIXED) return -1;
  if (border == WRAP) return (i % n + n) % n;
  if (border == REFLECT) {
    if (n == 1) return 0;
    int period = 2 * n - 2, k = (i % period + period) % period;
    return k < n ? k : period - k;
  }
  int k = (i % (2 * n) + 2 * n) % (2 * n);
  return k < n ? k : 2 * n - 1 - k;
}
// A row of the strip for a row of the picture; those that a strip does not hold are needed by rows alone that are
// thrown away.
int strip_row(int y, Place p) {
  int row = inside(y, p.height, p.border);
  return row < 0 ? -1 : clamp(row - p.first, 0, p.rows - 1);
}
float sample(global const float* plane, int x, int y, Place p) {
  int column = inside(x, p.width, p.border), row = strip_row(y, p);
  return column < 0 || row < 0 ? p.fill : plane[(size_t)row * p.width + column];
}

#define X ((int)get_global_id(0))
#define Y ((int)get_global_id(1))
#define PLANE ((size_t)get_global_id(2) * p.width * p.rows)

// An item of the weighing kernels works on WIDE samples of HIGH rows. Processors have vectors and take 16 of them; items
// of a card run side by side and take one each.
#if WIDE == 16
typedef float16 Some;
#define GET(from) vload16(0, from)
#define PUT(v, to) vstore16(v, 0, to)
#else
typedef float Some;
#define GET(from) (*(from))
#define PUT(v, to) (*(to) = (v))
#endif
#define HIGH 4
// The first column and row of the group. A kernel may be launched in bands, which groups do not count.
#define GROUP_LEFT ((X - (int)get_local_id(0)) * WIDE)
#define GROUP_TOP ((Y - (int)get_local_id(1)) * HIGH)
// What is not of a whole item at the right rim.
void put(Some v, global float* row, int x, int width) {
  if (x + WIDE <= width) {
    PUT(v, row + x);
    return;
  }
#if WIDE > 1
  float each[WIDE];
  vstore16(v, 0, each);
  for (int i = 0; x + i < width; ++i) row[x + i] = each[i];
#endif
}

// The samples that a group sees, from (left, top) of the picture on.
void fill(global const float* plane, local float* tile, int left, int top, int across, int down, Place p) {
  bool within = left >= 0 && left + across <= p.width && top >= p.first && top + down <= p.first + p.rows;
  for (int j = get_local_id(1); j < down; j += get_local_size(1)) {
    local float* row = tile + j * across;
    if (within) {
      global const float* from = plane + (size_t)(top + j - p.first) * p.width + left;
      for (int i = get_local_id(0); i < across; i += get_local_size(0)) row[i] = from[i];
    } else {
      for (int i = get_local_id(0); i < across; i += get_local_size(0)) row[i] = sample(plane, left + i, top + j, p);
    }
  }
  barrier(CLK_LOCAL_MEM_FENCE);
}
