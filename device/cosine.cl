// The cosine transform of 8x8 blocks, of which some coefficients are kept, and back (Ahmed, Natarajan and Rao, 1974): a
// group takes a block. Blocks that the right and lower rims cut are shorter: `cosines` holds the matrices of 8, of the
// last columns and of the last rows, 64 numbers each, row u of n weights first.
kernel void truncate(global const float* in, global float* out, Place p, constant float* cosines, int side,
                     int largest) {
  local float a[64], b[64];
  int i = get_local_id(0), j = get_local_id(1), left = X - i, top = Y - j;
  int wide = min(8, p.width - left), high = min(8, p.rows - top);
  constant float* across = cosines + (wide == 8 ? 0 : 64);
  constant float* down = cosines + (high == 8 ? 0 : 128);
  bool here = i < wide && j < high;
  size_t at = PLANE + (size_t)Y * p.width + X;
  a[8 * j + i] = here ? in[at] : 0;
  barrier(CLK_LOCAL_MEM_FENCE);
  float sum = 0;
  if (here)
    for (int k = 0; k < wide; ++k) sum = fma(across[i * wide + k], a[8 * j + k], sum);
  b[8 * j + i] = sum;
  barrier(CLK_LOCAL_MEM_FENCE);
  sum = 0;
  if (here)
    for (int k = 0; k < high; ++k) sum = fma(down[j * high + k], b[8 * k + i], sum);
  a[8 * j + i] = here ? sum : 0;
  barrier(CLK_LOCAL_MEM_FENCE);
  // How many are larger, or as large and come before.
  int before = 0;
  if (largest && here) {
    float size = fabs(sum);
    for (int l = 0; l < high; ++l) {
      for (int k = 0; k < wide; ++k) {
        float other = fabs(a[8 * l + k]);
        before += other > size || (other == size && (l < j || (l == j && k < i)));
      }
    }
  }
  bool kept = largest ? before < side * side : i < side && j < side;
  b[8 * j + i] = kept ? sum : 0;
  barrier(CLK_LOCAL_MEM_FENCE);
  sum = 0;
  if (here)
    for (int k = 0; k < high; ++k) sum = fma(down[k * high + j], b[8 * k + i], sum);
  a[8 * j + i] = sum;
  barrier(CLK_LOCAL_MEM_FENCE);
  sum = 0;
  if (here) {
    for (int k = 0; k < wide; ++k) sum = fma(across[k * wide + i], a[8 * j + k], sum);
    out[at] = sum;
  }
}
