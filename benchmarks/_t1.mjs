// core/src/errors.ts
var GeometryError = class extends Error {
  constructor(code, message, detail = {}) {
    super(message);
    this.code = code;
    this.detail = detail;
  }
  code;
  detail;
  name = "GeometryError";
};

// core/src/linear/random.ts
function seededRandom(seed) {
  let s = seed >>> 0;
  const split = () => {
    s = s + 2654435769 | 0;
    let t = s ^ s >>> 16;
    t = Math.imul(t, 569420461);
    t ^= t >>> 15;
    t = Math.imul(t, 1935289751);
    return (t ^ t >>> 15) >>> 0;
  };
  let a2 = split();
  let b2 = split();
  let c = split();
  let d = 1;
  const next = () => {
    const t = (a2 + b2 | 0) + d | 0;
    d = d + 1 | 0;
    a2 = b2 ^ b2 >>> 9;
    b2 = c + (c << 3) | 0;
    c = c << 21 | c >>> 11;
    c = c + t | 0;
    return (t >>> 0) / 4294967296;
  };
  for (let i = 0; i < 12; i++) next();
  let spare = NaN;
  return {
    next,
    integer: (n) => Math.floor(next() * n),
    gaussian: () => {
      if (!Number.isNaN(spare)) {
        const value = spare;
        spare = NaN;
        return value;
      }
      const radius = Math.sqrt(-2 * Math.log(1 - next()));
      const angle = 2 * Math.PI * next();
      spare = radius * Math.sin(angle);
      return radius * Math.cos(angle);
    }
  };
}

// core/src/context.ts
function quietContext(seed = 1) {
  return { progress: () => void 0, cancelled: () => false, random: seededRandom(seed) };
}
function stage(context, from, to) {
  return {
    progress: (fraction, note) => context.progress(from + (to - from) * fraction, note),
    cancelled: () => context.cancelled(),
    random: context.random
  };
}
function checkpoint(context, done, total, note) {
  if (context.cancelled()) throw new GeometryError("CANCELLED", "Stopped at your request; nothing was changed.");
  context.progress(total > 0 ? Math.min(1, done / total) : 1, note);
}

// core/src/linear/rigid.ts
function identityMotion() {
  return Float64Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1);
}
function compose(a2, b2) {
  const out = new Float64Array(16);
  for (let i = 0; i < 4; i++) {
    for (let j = 0; j < 4; j++) {
      let sum = 0;
      for (let k = 0; k < 4; k++) sum += a2[i * 4 + k] * b2[k * 4 + j];
      out[i * 4 + j] = sum;
    }
  }
  return out;
}
function invertRigid(m) {
  const out = identityMotion();
  for (let i = 0; i < 3; i++) {
    for (let j = 0; j < 3; j++) out[i * 4 + j] = m[j * 4 + i];
    out[i * 4 + 3] = -(m[i] * m[3] + m[4 + i] * m[7] + m[8 + i] * m[11]);
  }
  return out;
}
function rotationMotion(axis, angle, shift = [0, 0, 0]) {
  const length = Math.hypot(axis[0], axis[1], axis[2]);
  if (!(length > 0)) throw new GeometryError("DEGENERATE", "A rotation needs an axis that is not zero.");
  const x = axis[0] / length;
  const y = axis[1] / length;
  const z = axis[2] / length;
  const c = Math.cos(angle);
  const s = Math.sin(angle);
  const t = 1 - c;
  return Float64Array.of(
    t * x * x + c,
    t * x * y - s * z,
    t * x * z + s * y,
    shift[0],
    t * x * y + s * z,
    t * y * y + c,
    t * y * z - s * x,
    shift[1],
    t * x * z - s * y,
    t * y * z + s * x,
    t * z * z + c,
    shift[2],
    0,
    0,
    0,
    1
  );
}
function twistMotion(twist) {
  const angle = Math.hypot(twist[0], twist[1], twist[2]);
  const shift = [twist[3], twist[4], twist[5]];
  if (angle < 1e-300) {
    const out = identityMotion();
    out[3] = shift[0];
    out[7] = shift[1];
    out[11] = shift[2];
    return out;
  }
  return rotationMotion([twist[0], twist[1], twist[2]], angle, shift);
}
function transformPoint(m, x, y, z) {
  return [
    m[0] * x + m[1] * y + m[2] * z + m[3],
    m[4] * x + m[5] * y + m[6] * z + m[7],
    m[8] * x + m[9] * y + m[10] * z + m[11]
  ];
}
function transformPoints(m, points, out = new Float32Array(points.length)) {
  const [a2, b2, c, d, e, f, g, h, i, j, k, l] = m;
  for (let p = 0; p < points.length; p += 3) {
    const x = points[p];
    const y = points[p + 1];
    const z = points[p + 2];
    out[p] = a2 * x + b2 * y + c * z + d;
    out[p + 1] = e * x + f * y + g * z + h;
    out[p + 2] = i * x + j * y + k * z + l;
  }
  return out;
}
function rotateVectors(m, vectors, out = new Float32Array(vectors.length)) {
  const r = Float64Array.from(m);
  r[3] = 0;
  r[7] = 0;
  r[11] = 0;
  return transformPoints(r, vectors, out);
}
function orthonormalise(m) {
  const out = Float64Array.from(m);
  let l = Math.hypot(out[0], out[1], out[2]);
  for (let i = 0; i < 3; i++) out[i] /= l;
  const d = out[0] * out[4] + out[1] * out[5] + out[2] * out[6];
  for (let i = 0; i < 3; i++) out[4 + i] -= d * out[i];
  l = Math.hypot(out[4], out[5], out[6]);
  for (let i = 4; i < 7; i++) out[i] /= l;
  out[8] = out[1] * out[6] - out[2] * out[5];
  out[9] = out[2] * out[4] - out[0] * out[6];
  out[10] = out[0] * out[5] - out[1] * out[4];
  return out;
}
function motionRows(m) {
  return [0, 4, 8, 12].map((i) => Array.from(m.subarray(i, i + 4)));
}
function motionFromRows(rows, name) {
  const bad = (why) => {
    throw new GeometryError("FORMAT", `The motion of "${name}" ${why}; wanted are four rows of four numbers, a rotation and a shift in mm.`);
  };
  if (!Array.isArray(rows) || rows.length !== 4) return bad("does not have four rows");
  const m = new Float64Array(16);
  rows.forEach((row, i) => {
    if (!Array.isArray(row) || row.length !== 4) bad(`has a row ${i + 1} without four numbers`);
    row.forEach((v, j) => {
      if (typeof v !== "number" || !Number.isFinite(v)) bad(`holds ${String(v)} in row ${i + 1}`);
      m[i * 4 + j] = v;
    });
  });
  if (m[12] !== 0 || m[13] !== 0 || m[14] !== 0 || m[15] !== 1) bad("does not end in the row 0 0 0 1");
  for (let i = 0; i < 3; i++) {
    for (let j = i; j < 3; j++) {
      const dot = m[i * 4] * m[j * 4] + m[i * 4 + 1] * m[j * 4 + 1] + m[i * 4 + 2] * m[j * 4 + 2];
      if (Math.abs(dot - (i === j ? 1 : 0)) > 1e-4) bad("stretches or skews");
    }
  }
  const det = m[0] * (m[5] * m[10] - m[6] * m[9]) - m[1] * (m[4] * m[10] - m[6] * m[8]) + m[2] * (m[4] * m[9] - m[5] * m[8]);
  if (det < 0) bad("mirrors the piece");
  return m;
}

// core/src/linear/cholesky.ts
function solveCholesky(a2, b2, x, n) {
  const l = new Float64Array(n * n);
  for (let i = 0; i < n; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = a2[i * n + j];
      for (let k = 0; k < j; k++) sum -= l[i * n + k] * l[j * n + k];
      if (i === j) {
        if (!(sum > 1e-14 * Math.abs(a2[i * n + i]))) return false;
        l[i * n + i] = Math.sqrt(sum);
      } else l[i * n + j] = sum / l[j * n + j];
    }
  }
  for (let i = 0; i < n; i++) {
    let sum = b2[i];
    for (let k = 0; k < i; k++) sum -= l[i * n + k] * x[k];
    x[i] = sum / l[i * n + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = x[i];
    for (let k = i + 1; k < n; k++) sum -= l[k * n + i] * x[k];
    x[i] = sum / l[i * n + i];
  }
  return true;
}

// core/src/linear/symmetric3.ts
function smallestEigen3(xx, xy, xz, yy, yz, zz, out) {
  const p1 = xy * xy + xz * xz + yz * yz;
  const q = (xx + yy + zz) / 3;
  const p2 = (xx - q) * (xx - q) + (yy - q) * (yy - q) + (zz - q) * (zz - q) + 2 * p1;
  const p = Math.sqrt(p2 / 6);
  if (!(p > 0)) {
    out[0] = q;
    out[1] = q;
    out[2] = q;
    out[3] = 0;
    out[4] = 0;
    out[5] = 1;
    return;
  }
  const bxx = (xx - q) / p;
  const byy = (yy - q) / p;
  const bzz = (zz - q) / p;
  const bxy = xy / p;
  const bxz = xz / p;
  const byz = yz / p;
  let r = (bxx * (byy * bzz - byz * byz) - bxy * (bxy * bzz - byz * bxz) + bxz * (bxy * byz - byy * bxz)) / 2;
  r = r < -1 ? -1 : r > 1 ? 1 : r;
  const phi = Math.acos(r) / 3;
  const l2 = q + 2 * p * Math.cos(phi);
  const l0 = q + 2 * p * Math.cos(phi + 2 * Math.PI / 3);
  out[0] = l0;
  out[1] = 3 * q - l0 - l2;
  out[2] = l2;
  const ax = xx - l0;
  const ay = yy - l0;
  const az = zz - l0;
  let x = xy * yz - xz * ay;
  let y = xz * xy - ax * yz;
  let z = ax * ay - xy * xy;
  let best = x * x + y * y + z * z;
  let cx = xy * az - xz * yz;
  let cy = xz * xz - ax * az;
  let cz = ax * yz - xy * xz;
  let n = cx * cx + cy * cy + cz * cz;
  if (n > best) {
    x = cx;
    y = cy;
    z = cz;
    best = n;
  }
  cx = ay * az - yz * yz;
  cy = yz * xz - xy * az;
  cz = xy * yz - ay * xz;
  n = cx * cx + cy * cy + cz * cz;
  if (n > best) {
    x = cx;
    y = cy;
    z = cz;
    best = n;
  }
  if (!(best > 0)) {
    out[3] = 0;
    out[4] = 0;
    out[5] = 1;
    return;
  }
  const s = 1 / Math.sqrt(best);
  out[3] = x * s;
  out[4] = y * s;
  out[5] = z * s;
}

// core/src/spatial/cell-index.ts
var CellIndex = class {
  /** @param positions interleaved xyz, mm, finite @param edgeMm > 0 */
  constructor(positions, edgeMm) {
    this.edgeMm = edgeMm;
    const n = positions.length / 3;
    let size2 = 16;
    while (size2 < n * 2) size2 *= 2;
    this.table = new Int32Array(size2).fill(-1);
    this.x = new Int32Array(n);
    this.y = new Int32Array(n);
    this.z = new Int32Array(n);
    const cellOf = new Int32Array(n);
    const inverse = 1 / edgeMm;
    for (let i = 0; i < n; i++) {
      const x = Math.floor(positions[i * 3] * inverse) | 0, y = Math.floor(positions[i * 3 + 1] * inverse) | 0, z = Math.floor(positions[i * 3 + 2] * inverse) | 0;
      const slot = this.slot(x, y, z);
      let cell = this.table[slot];
      if (cell < 0) {
        cell = this.table[slot] = this.count++;
        this.x[cell] = x;
        this.y[cell] = y;
        this.z[cell] = z;
      }
      cellOf[i] = cell;
    }
    const rank = this.sortCells();
    this.start = new Int32Array(this.count + 1);
    for (let i = 0; i < n; i++) this.start[rank[cellOf[i]] + 1]++;
    for (let c = 0; c < this.count; c++) this.start[c + 1] += this.start[c];
    this.items = new Int32Array(n);
    const at = this.start.slice();
    for (let i = 0; i < n; i++) this.items[at[rank[cellOf[i]]]++] = i;
  }
  edgeMm;
  count = 0;
  /** Whole coordinates of each cell. */
  x;
  y;
  z;
  /** Members of cell c are items[start[c]] … items[start[c + 1] − 1]. */
  start;
  items;
  table;
  /** Number of the cell at whole coordinates, −1 when it is empty. */
  find(x, y, z) {
    return this.table[this.slot(x, y, z)];
  }
  slot(x, y, z) {
    const mask = this.table.length - 1;
    let h = Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791);
    h ^= h >>> 15;
    let slot = h & mask;
    for (let c = this.table[slot]; c >= 0; c = this.table[slot]) {
      if (this.x[c] === x && this.y[c] === y && this.z[c] === z) break;
      slot = slot + 1 & mask;
    }
    return slot;
  }
  /** Renumbers the cells in Morton order; returns the new number of each old one. */
  sortCells() {
    const { count } = this;
    let minX = Infinity, minY = Infinity, minZ = Infinity, reach = 0;
    for (let c = 0; c < count; c++) {
      if (this.x[c] < minX) minX = this.x[c];
      if (this.y[c] < minY) minY = this.y[c];
      if (this.z[c] < minZ) minZ = this.z[c];
    }
    for (let c = 0; c < count; c++) reach = Math.max(reach, this.x[c] - minX, this.y[c] - minY, this.z[c] - minZ);
    let shrink = 1;
    while (reach / shrink > 1023) shrink *= 2;
    const codes = new Uint32Array(count);
    for (let c = 0; c < count; c++) {
      codes[c] = spreadBits((this.x[c] - minX) / shrink) | spreadBits((this.y[c] - minY) / shrink) << 1 | spreadBits((this.z[c] - minZ) / shrink) << 2;
    }
    const order = radixOrder(codes);
    const rank = new Int32Array(count);
    const x = new Int32Array(count), y = new Int32Array(count), z = new Int32Array(count);
    for (let r = 0; r < count; r++) {
      const c = order[r];
      rank[c] = r;
      x[r] = this.x[c];
      y[r] = this.y[c];
      z[r] = this.z[c];
    }
    for (let s = 0; s < this.table.length; s++) if (this.table[s] >= 0) this.table[s] = rank[this.table[s]];
    this.x = x;
    this.y = y;
    this.z = z;
    return rank;
  }
};
function spreadBits(v) {
  let x = v | 0;
  x = (x | x << 16) & 50331903;
  x = (x | x << 8) & 50393103;
  x = (x | x << 4) & 51130563;
  return (x | x << 2) & 153391689;
}
function radixOrder(codes) {
  const n = codes.length;
  let order = new Uint32Array(n);
  for (let i = 0; i < n; i++) order[i] = i;
  let next = new Uint32Array(n);
  for (let shift = 0; shift < 30; shift += 10) {
    const start2 = new Uint32Array(1025);
    for (let i = 0; i < n; i++) start2[(codes[i] >>> shift & 1023) + 1]++;
    for (let k = 0; k < 1024; k++) start2[k + 1] += start2[k];
    for (let i = 0; i < n; i++) next[start2[codes[order[i]] >>> shift & 1023]++] = order[i];
    const swap = order;
    order = next;
    next = swap;
  }
  return order;
}

// core/src/spatial/kd-tree.ts
var LEAF = 8;
var STACK = 256;
var KdTree = class {
  count;
  /** Original index of each point in tree order; walking queries in this order keeps memory local. */
  ids;
  xyz;
  axis;
  stackLow = new Int32Array(STACK);
  stackHigh = new Int32Array(STACK);
  stackBound = new Float64Array(STACK);
  /** Squared distance of the last `nearest` or `nearestTwo`. */
  lastDistance2 = Infinity;
  /** Squared distance of the second nearest of the last `nearestTwo`, its bound when there is none within. */
  secondDistance2 = Infinity;
  constructor(points) {
    if (points.length % 3 !== 0) throw new GeometryError("SHAPE", "Points must come as x y z triples.");
    const n = this.count = points.length / 3;
    this.ids = new Int32Array(n);
    for (let i = 0; i < n; i++) this.ids[i] = i;
    this.xyz = Float32Array.from(points);
    this.axis = new Uint8Array(n);
    if (n > 0) this.build();
  }
  build() {
    const { xyz, axis } = this;
    const stack = [0, this.count - 1];
    while (stack.length > 0) {
      const right = stack.pop();
      const left = stack.pop();
      if (right - left < LEAF) continue;
      let minX = Infinity, minY = Infinity, minZ = Infinity, maxX = -Infinity, maxY = -Infinity, maxZ = -Infinity;
      for (let i = left * 3; i <= right * 3; i += 3) {
        const x = xyz[i], y = xyz[i + 1], z = xyz[i + 2];
        if (x < minX) minX = x;
        if (x > maxX) maxX = x;
        if (y < minY) minY = y;
        if (y > maxY) maxY = y;
        if (z < minZ) minZ = z;
        if (z > maxZ) maxZ = z;
      }
      const dx = maxX - minX, dy = maxY - minY, dz = maxZ - minZ;
      const a2 = dx >= dy && dx >= dz ? 0 : dy >= dz ? 1 : 2;
      const mid = left + right >> 1;
      this.select(mid, left, right, a2);
      axis[mid] = a2;
      stack.push(left, mid - 1, mid + 1, right);
    }
  }
  /** Floyd and Rivest 1975 selection: the k-th smallest along `a` comes to place k. */
  select(k, left, right, a2) {
    const { xyz } = this;
    while (right > left) {
      if (right - left > 600) {
        const n = right - left + 1;
        const m = k - left + 1;
        const z = Math.log(n);
        const s = 0.5 * Math.exp(2 * z / 3);
        const sd = 0.5 * Math.sqrt(z * s * (n - s) / n) * (m - n / 2 < 0 ? -1 : 1);
        this.select(k, Math.max(left, Math.floor(k - m * s / n + sd)), Math.min(right, Math.floor(k + (n - m) * s / n + sd)), a2);
      }
      const t = xyz[k * 3 + a2];
      let i = left;
      let j = right;
      this.swap(left, k);
      if (xyz[right * 3 + a2] > t) this.swap(left, right);
      while (i < j) {
        this.swap(i, j);
        i++;
        j--;
        while (xyz[i * 3 + a2] < t) i++;
        while (xyz[j * 3 + a2] > t) j--;
      }
      if (xyz[left * 3 + a2] === t) this.swap(left, j);
      else {
        j++;
        this.swap(j, right);
      }
      if (j <= k) left = j + 1;
      if (k <= j) right = j - 1;
    }
  }
  swap(i, j) {
    const { xyz, ids } = this;
    const id = ids[i];
    ids[i] = ids[j];
    ids[j] = id;
    const p = i * 3;
    const q = j * 3;
    for (let c = 0; c < 3; c++) {
      const t = xyz[p + c];
      xyz[p + c] = xyz[q + c];
      xyz[q + c] = t;
    }
  }
  /** Index of the nearest point strictly within √`maxDistance2`, or −1; the squared distance is in `lastDistance2`. */
  nearest(x, y, z, maxDistance2 = Infinity) {
    const { xyz, axis, stackLow, stackHigh, stackBound } = this;
    let best = maxDistance2;
    let found = -1;
    let top = 0;
    stackLow[0] = 0;
    stackHigh[0] = this.count - 1;
    stackBound[0] = 0;
    while (top >= 0) {
      let low = stackLow[top];
      let high = stackHigh[top];
      if (stackBound[top--] >= best) continue;
      for (; ; ) {
        if (high - low < LEAF) {
          for (let i = low; i <= high; i++) {
            const dx2 = xyz[i * 3] - x, dy2 = xyz[i * 3 + 1] - y, dz2 = xyz[i * 3 + 2] - z;
            const d2 = dx2 * dx2 + dy2 * dy2 + dz2 * dz2;
            if (d2 < best) {
              best = d2;
              found = i;
            }
          }
          break;
        }
        const mid = low + high >> 1;
        const a2 = axis[mid];
        const dx = xyz[mid * 3] - x, dy = xyz[mid * 3 + 1] - y, dz = xyz[mid * 3 + 2] - z;
        const d = dx * dx + dy * dy + dz * dz;
        if (d < best) {
          best = d;
          found = mid;
        }
        const side2 = a2 === 0 ? dx : a2 === 1 ? dy : dz;
        const bound = side2 * side2;
        if (bound < best) {
          top++;
          stackBound[top] = bound;
          if (side2 > 0) {
            stackLow[top] = mid + 1;
            stackHigh[top] = high;
          } else {
            stackLow[top] = low;
            stackHigh[top] = mid - 1;
          }
        }
        if (side2 > 0) high = mid - 1;
        else low = mid + 1;
      }
    }
    this.lastDistance2 = best;
    return found < 0 ? -1 : this.ids[found];
  }
  /** As `nearest`, and the distance of the runner-up is in `secondDistance2`: by how much the answer is safe when the query moves. */
  nearestTwo(x, y, z, maxDistance2 = Infinity) {
    const { xyz, axis, stackLow, stackHigh, stackBound } = this;
    let best = maxDistance2;
    let second = maxDistance2;
    let found = -1;
    let top = 0;
    stackLow[0] = 0;
    stackHigh[0] = this.count - 1;
    stackBound[0] = 0;
    while (top >= 0) {
      let low = stackLow[top];
      let high = stackHigh[top];
      if (stackBound[top--] >= second) continue;
      for (; ; ) {
        const leaf = high - low < LEAF;
        const mid = low + high >> 1;
        for (let i = leaf ? low : mid, e = leaf ? high : mid; i <= e; i++) {
          const dx = xyz[i * 3] - x, dy = xyz[i * 3 + 1] - y, dz = xyz[i * 3 + 2] - z;
          const d = dx * dx + dy * dy + dz * dz;
          if (d < best) {
            second = best;
            best = d;
            found = i;
          } else if (d < second) second = d;
        }
        if (leaf) break;
        const a2 = axis[mid];
        const side2 = xyz[mid * 3 + a2] - (a2 === 0 ? x : a2 === 1 ? y : z);
        const bound = side2 * side2;
        if (bound < second) {
          top++;
          stackBound[top] = bound;
          if (side2 > 0) {
            stackLow[top] = mid + 1;
            stackHigh[top] = high;
          } else {
            stackLow[top] = low;
            stackHigh[top] = mid - 1;
          }
        }
        if (side2 > 0) high = mid - 1;
        else low = mid + 1;
      }
    }
    this.lastDistance2 = best;
    this.secondDistance2 = second;
    return found < 0 ? -1 : this.ids[found];
  }
  /**
   * The k nearest within √`maxDistance2`, ascending, into `outIds` and `outDistance2`; returns how many were found.
   * The query point itself is returned too when it is in the tree.
   */
  knn(x, y, z, k, outIds, outDistance2, maxDistance2 = Infinity) {
    const { xyz, axis, stackLow, stackHigh, stackBound, ids } = this;
    let worst2 = maxDistance2;
    let n = 0;
    let top = 0;
    stackLow[0] = 0;
    stackHigh[0] = this.count - 1;
    stackBound[0] = 0;
    while (top >= 0) {
      let low = stackLow[top];
      let high = stackHigh[top];
      if (stackBound[top--] >= worst2) continue;
      for (; ; ) {
        const leaf = high - low < LEAF;
        const mid = low + high >> 1;
        const from = leaf ? low : mid;
        const to = leaf ? high : mid;
        for (let i = from; i <= to; i++) {
          const dx = xyz[i * 3] - x, dy = xyz[i * 3 + 1] - y, dz = xyz[i * 3 + 2] - z;
          const d = dx * dx + dy * dy + dz * dz;
          if (d >= worst2) continue;
          let j = n < k ? n++ : k - 1;
          while (j > 0 && outDistance2[j - 1] > d) {
            outDistance2[j] = outDistance2[j - 1];
            outIds[j] = outIds[j - 1];
            j--;
          }
          outDistance2[j] = d;
          outIds[j] = ids[i];
          if (n === k) worst2 = outDistance2[k - 1];
        }
        if (leaf) break;
        const a2 = axis[mid];
        const side2 = xyz[mid * 3 + a2] - (a2 === 0 ? x : a2 === 1 ? y : z);
        const bound = side2 * side2;
        if (bound < worst2) {
          top++;
          stackBound[top] = bound;
          if (side2 > 0) {
            stackLow[top] = mid + 1;
            stackHigh[top] = high;
          } else {
            stackLow[top] = low;
            stackHigh[top] = mid - 1;
          }
        }
        if (side2 > 0) high = mid - 1;
        else low = mid + 1;
      }
    }
    return n;
  }
};

// core/src/spatial/neighbourhoods.ts
var POINTS_PER_CELL = 7;
var GUESS = 1.12;
function forEachNeighbourhood(positions, k, sorted, each, tick) {
  const cells = fittingCells(positions);
  const { start: start2, items, edgeMm } = cells;
  const own = inCellOrder(positions, cells);
  const block = new CellBlock();
  const ids = new Int32Array(k);
  const d2 = new Float64Array(k);
  let tree;
  let done = 0;
  let lastReach = edgeMm / 2;
  for (let c = 0; c < cells.count; c++) {
    block.gather(cells, c, own);
    const lowX = (cells.x[c] - 1) * edgeMm, lowY = (cells.y[c] - 1) * edgeMm, lowZ = (cells.z[c] - 1) * edgeMm;
    const span = 3 * edgeMm;
    for (let s = start2[c]; s < start2[c + 1]; s++) {
      if ((done++ & 1023) === 0) tick(done);
      const px = own[s * 3], py = own[s * 3 + 1], pz = own[s * 3 + 2];
      const inX = px - lowX, inY = py - lowY, inZ = pz - lowZ;
      const border = Math.min(inX, span - inX, inY, span - inY, inZ, span - inZ) * 0.9999;
      let found = block.nearest(px, py, pz, Math.min(border, lastReach * GUESS), k, ids, d2);
      if (found < k && lastReach * GUESS < border) found = block.nearest(px, py, pz, border, k, ids, d2);
      if (found < k) {
        tree ??= new KdTree(positions);
        found = tree.knn(px, py, pz, k, ids, d2);
      } else if (sorted) sortByDistance(ids, d2, found);
      let worst2 = 0;
      for (let j = 0; j < found; j++) if (d2[j] > worst2) worst2 = d2[j];
      lastReach = Math.sqrt(worst2);
      each(items[s], ids, d2, found);
    }
  }
}
function inCellOrder(positions, cells) {
  const own = new Float32Array(positions.length);
  for (let s = 0; s < cells.items.length; s++) {
    const p = cells.items[s] * 3;
    own[s * 3] = positions[p];
    own[s * 3 + 1] = positions[p + 1];
    own[s * 3 + 2] = positions[p + 2];
  }
  return own;
}
var CellBlock = class {
  /** What `within` found. */
  ids = new Int32Array(1024);
  room = 1024;
  count = 0;
  xyz = new Float32Array(3 * 1024);
  id = new Int32Array(1024);
  taken = new Float64Array(1025);
  takenAt = new Int32Array(1025);
  gather(cells, c, own) {
    const cx = cells.x[c], cy = cells.y[c], cz = cells.z[c];
    let m = 0;
    for (let dz = -1; dz <= 1; dz++) for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) {
      const other = cells.find(cx + dx, cy + dy, cz + dz);
      if (other < 0) continue;
      const from = cells.start[other], to = cells.start[other + 1];
      if (m + to - from > this.room) this.grow(m + to - from);
      const { xyz, id } = this;
      for (let s = from; s < to; s++, m++) {
        xyz[m * 3] = own[s * 3];
        xyz[m * 3 + 1] = own[s * 3 + 1];
        xyz[m * 3 + 2] = own[s * 3 + 2];
        id[m] = cells.items[s];
      }
    }
    this.count = m;
  }
  grow(least) {
    this.room = Math.max(this.room * 2, least);
    const xyz = new Float32Array(this.room * 3);
    xyz.set(this.xyz);
    this.xyz = xyz;
    const id = new Int32Array(this.room);
    id.set(this.id);
    this.id = id;
    this.taken = new Float64Array(this.room + 1);
    this.takenAt = new Int32Array(this.room + 1);
    this.ids = new Int32Array(this.room);
  }
  /** All points strictly within `reach`, into `ids`; returns how many. */
  within(px, py, pz, reach) {
    const n = this.take(px, py, pz, reach * reach);
    for (let j = 0; j < n; j++) this.ids[j] = this.id[this.takenAt[j]];
    return n;
  }
  take(px, py, pz, limit) {
    const { xyz, taken, takenAt } = this;
    let n = 0;
    for (let j = 0, at = 0, e = this.count; j < e; j++, at += 3) {
      const dx = xyz[at] - px, dy = xyz[at + 1] - py, dz = xyz[at + 2] - pz;
      const d = dx * dx + dy * dy + dz * dz;
      taken[n] = d;
      takenAt[n] = j;
      n += d < limit ? 1 : 0;
    }
    return n;
  }
  /** The k nearest strictly within `reach`, in no order, into ids and d2; fewer when there are not k. */
  nearest(px, py, pz, reach, k, ids, d2) {
    const { id, taken, takenAt } = this;
    let n = this.take(px, py, pz, reach * reach);
    while (n > k) {
      let far = 0;
      let most = taken[0];
      for (let j = 1; j < n; j++) if (taken[j] > most) {
        most = taken[j];
        far = j;
      }
      n--;
      taken[far] = taken[n];
      takenAt[far] = takenAt[n];
    }
    for (let j = 0; j < n; j++) {
      ids[j] = id[takenAt[j]];
      d2[j] = taken[j];
    }
    return n;
  }
};
function sortByDistance(ids, d2, n) {
  for (let i = 1; i < n; i++) {
    const d = d2[i];
    const id = ids[i];
    let j = i;
    while (j > 0 && d2[j - 1] > d) {
      d2[j] = d2[j - 1];
      ids[j] = ids[j - 1];
      j--;
    }
    d2[j] = d;
    ids[j] = id;
  }
}
function fittingCells(positions) {
  const n = positions.length / 3;
  const min = [Infinity, Infinity, Infinity], max = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i++) {
    const v = positions[i];
    if (v < min[i % 3]) min[i % 3] = v;
    if (v > max[i % 3]) max[i % 3] = v;
  }
  const size2 = Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]);
  const least = Math.max(1e-30, Math.max(...max.map(Math.abs), ...min.map(Math.abs)) / 2 ** 30);
  let cells = new CellIndex(positions, Math.max(least, (size2 || 1) * Math.sqrt(POINTS_PER_CELL / Math.max(n, 1))));
  for (let round = 0; round < 3; round++) {
    const held = n / Math.max(1, cells.count);
    if (held > POINTS_PER_CELL / 1.6 && held < POINTS_PER_CELL * 1.6) break;
    cells = new CellIndex(positions, Math.max(least, cells.edgeMm * Math.sqrt(POINTS_PER_CELL / held)));
  }
  return cells;
}

// core/src/shapes.ts
var EVIDENCE = { measured: 0, carried: 1, invented: 2 };
function boundsOf(positions) {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i += 3) {
    for (let c = 0; c < 3; c++) {
      const v = positions[i + c];
      if (v < min[c]) min[c] = v;
      if (v > max[c]) max[c] = v;
    }
  }
  return { min, max };
}
function diagonal(bounds) {
  return Math.hypot(bounds.max[0] - bounds.min[0], bounds.max[1] - bounds.min[1], bounds.max[2] - bounds.min[2]);
}
function pickPoints(cloud, index) {
  const n = index.length;
  const take3 = (from, to) => {
    for (let i = 0; i < n; i++) {
      const p = index[i] * 3;
      to[i * 3] = from[p];
      to[i * 3 + 1] = from[p + 1];
      to[i * 3 + 2] = from[p + 2];
    }
    return to;
  };
  const take1 = (from, to) => {
    for (let i = 0; i < n; i++) to[i] = from[index[i]];
    return to;
  };
  return {
    ...cloud,
    positions: take3(cloud.positions, new Float32Array(n * 3)),
    ...cloud.normals && { normals: take3(cloud.normals, new Float32Array(n * 3)) },
    ...cloud.colours && { colours: take3(cloud.colours, new Uint8Array(n * 3)) },
    ...cloud.confidence && { confidence: take1(cloud.confidence, new Float32Array(n)) },
    ...cloud.frame && { frame: take1(cloud.frame, new Uint16Array(n)) }
  };
}
function indicesWhere(mask, value) {
  let n = 0;
  for (let i = 0; i < mask.length; i++) if (mask[i] === value) n++;
  const out = new Int32Array(n);
  n = 0;
  for (let i = 0; i < mask.length; i++) if (mask[i] === value) out[n++] = i;
  return out;
}

// core/src/cloud/normals.ts
var FEATURE_DEFAULTS = { neighbours: 20 };
function estimateFeatures(cloud, context, options = {}) {
  const k = (options.neighbours ?? FEATURE_DEFAULTS.neighbours) + 1;
  const { positions } = cloud;
  const n = positions.length / 3;
  const normals = new Float32Array(n * 3);
  const boundary = new Uint8Array(n);
  const graph = needsPropagation(cloud) ? new Int32Array(n * GRAPH_K).fill(-1) : void 0;
  const sampleStep = Math.max(1, Math.floor(n / 2e4));
  const gaps = new Samples(n / sampleStep + 1);
  const residuals = new Samples(n / sampleStep + 1);
  const patch = new Patch(positions);
  let visited = 0;
  forEachNeighbourhood(positions, k, graph !== void 0, (i, ids, d2, found) => {
    patch.read(i, ids, found);
    normals[i * 3] = patch.nx;
    normals[i * 3 + 1] = patch.ny;
    normals[i * 3 + 2] = patch.nz;
    boundary[i] = patch.oneSided(i, ids, found) ? 1 : 0;
    if (graph) for (let j = 1; j < found && j <= GRAPH_K; j++) graph[i * GRAPH_K + j - 1] = ids[j];
    if (visited++ % sampleStep === 0 && found > 3) {
      gaps.add(Math.sqrt(secondSmallest(d2, found)));
      residuals.add(patch.residualMm);
    }
  }, (done) => checkpoint(context, done, n, "Reading the surface"));
  orient(cloud, normals, graph);
  return { normals, boundary, spacingMm: gaps.median(), noiseMm: residuals.median() };
}
function estimateFeaturesSparsely(cloud, tree, context) {
  const { positions } = cloud;
  const n = positions.length / 3;
  const k = FEATURE_DEFAULTS.neighbours + 1;
  const ids = new Int32Array(k);
  const d2 = new Float64Array(k);
  const knn = (i) => tree.knn(positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2], k, ids, d2);
  const gaps = new Samples(2001);
  const reaches = new Samples(2001);
  for (let o = 0; o < n; o += Math.max(1, Math.floor(n / 2e3))) {
    const found = knn(tree.ids[o]);
    gaps.add(Math.sqrt(d2[Math.min(1, found - 1)]));
    reaches.add(Math.sqrt(d2[found - 1]));
  }
  const spacingMm = gaps.median();
  const reach = reaches.median();
  if (!(reach > 0) || n < 200) return estimateFeatures(cloud, context);
  const cells = new CellIndex(positions, reach);
  const own = inCellOrder(positions, cells);
  const nodeOf = new Int32Array(n);
  for (let c = 0; c < cells.count; c++) for (let s = cells.start[c]; s < cells.start[c + 1]; s++) nodeOf[cells.items[s]] = c;
  const nodes = nodeCloud(cloud, cells, own);
  const nodeNormals = new Float32Array(cells.count * 3);
  const nodeBoundary = new Uint8Array(cells.count);
  const graph = needsPropagation(cloud) ? new Int32Array(cells.count * GRAPH_K).fill(-1) : void 0;
  const residuals = new Samples(cells.count);
  const patch = new Patch(positions);
  const block = new CellBlock();
  for (let c = 0; c < cells.count; c++) {
    if ((c & 1023) === 0) checkpoint(context, c, cells.count, "Reading the surface");
    const i = nodes.index[c];
    block.gather(cells, c, own);
    let near;
    let found = block.within(positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2], cells.edgeMm);
    if (found < LEAST_NEIGHBOURS) {
      found = knn(i);
      near = ids;
    } else near = block.ids;
    patch.read(i, near, found);
    nodeNormals[c * 3] = patch.nx;
    nodeNormals[c * 3 + 1] = patch.ny;
    nodeNormals[c * 3 + 2] = patch.nz;
    nodeBoundary[c] = patch.oneSided(i, near, found) ? 1 : 0;
    if (found > 3) residuals.add(patch.residualMm);
    if (graph) linkNodes(graph, c, nodeOf, near, found);
  }
  orient(nodes.cloud, nodeNormals, graph);
  const normals = new Float32Array(n * 3);
  const boundary = new Uint8Array(n);
  for (let i = 0; i < n; i++) {
    const c = nodeOf[i];
    normals[i * 3] = nodeNormals[c * 3];
    normals[i * 3 + 1] = nodeNormals[c * 3 + 1];
    normals[i * 3 + 2] = nodeNormals[c * 3 + 2];
    boundary[i] = nodeBoundary[c];
  }
  return { normals, boundary, spacingMm, noiseMm: residuals.median() };
}
var LEAST_NEIGHBOURS = 10;
function nodeCloud(cloud, cells, own) {
  const index = new Int32Array(cells.count);
  const e = cells.edgeMm;
  for (let c = 0; c < cells.count; c++) {
    const x = (cells.x[c] + 0.5) * e, y = (cells.y[c] + 0.5) * e, z = (cells.z[c] + 0.5) * e;
    let best = Infinity;
    for (let s = cells.start[c]; s < cells.start[c + 1]; s++) {
      const dx = own[s * 3] - x, dy = own[s * 3 + 1] - y, dz = own[s * 3 + 2] - z;
      const d = dx * dx + dy * dy + dz * dz;
      if (d < best) {
        best = d;
        index[c] = cells.items[s];
      }
    }
  }
  return { index, cloud: pickPoints(cloud, index) };
}
function linkNodes(graph, c, nodeOf, ids, found) {
  let m = 0;
  next: for (let j = 0; j < found && m < GRAPH_K; j++) {
    const other = nodeOf[ids[j]];
    if (other === c) continue;
    for (let l = 0; l < m; l++) if (graph[c * GRAPH_K + l] === other) continue next;
    graph[c * GRAPH_K + m++] = other;
  }
}
var Patch = class {
  constructor(positions) {
    this.positions = positions;
  }
  positions;
  nx = 0;
  ny = 0;
  nz = 1;
  residualMm = 0;
  eigen = new Float64Array(6);
  read(i, ids, found) {
    const p = this.positions;
    const px = p[i * 3], py = p[i * 3 + 1], pz = p[i * 3 + 2];
    let sx = 0, sy = 0, sz = 0, xx = 0, xy = 0, xz = 0, yy = 0, yz = 0, zz = 0;
    for (let j = 0; j < found; j++) {
      const q = ids[j] * 3;
      const x = p[q] - px, y = p[q + 1] - py, z = p[q + 2] - pz;
      sx += x;
      sy += y;
      sz += z;
      xx += x * x;
      xy += x * y;
      xz += x * z;
      yy += y * y;
      yz += y * z;
      zz += z * z;
    }
    const m = 1 / found;
    const { eigen } = this;
    smallestEigen3(xx - sx * sx * m, xy - sx * sy * m, xz - sx * sz * m, yy - sy * sy * m, yz - sy * sz * m, zz - sz * sz * m, eigen);
    this.nx = eigen[3];
    this.ny = eigen[4];
    this.nz = eigen[5];
    this.residualMm = found > 3 ? Math.sqrt(Math.max(0, eigen[0]) / (found - 3)) : 0;
  }
  /** Whether about 120° or more round the point are empty, seen along the normal last read. */
  oneSided(i, ids, found) {
    return oneSided(this.positions, this.positions[i * 3], this.positions[i * 3 + 1], this.positions[i * 3 + 2], this.nx, this.ny, this.nz, ids, found);
  }
};
var Samples = class {
  values;
  count = 0;
  constructor(room) {
    this.values = new Float64Array(Math.ceil(room) + 1);
  }
  add(v) {
    this.values[this.count++] = v;
  }
  median() {
    return this.count === 0 ? 0 : this.values.subarray(0, this.count).sort()[this.count >> 1];
  }
};
var GRAPH_K = 8;
function secondSmallest(d2, n) {
  let least = Infinity, second = Infinity;
  for (let j = 0; j < n; j++) {
    const d = d2[j];
    if (d < least) {
      second = least;
      least = d;
    } else if (d < second) second = d;
  }
  return second;
}
function needsPropagation(cloud) {
  return !cloud.normals && !(cloud.frame && cloud.frameOrigins);
}
function median(values) {
  return values.length === 0 ? 0 : Float64Array.from(values).sort()[values.length >> 1];
}
var EMPTY_RUN = 10;
function oneSided(p, px, py, pz, nx, ny, nz, ids, found) {
  const sign = nz >= 0 ? 1 : -1;
  const a2 = -1 / (sign + nz);
  const b2 = nx * ny * a2;
  const ux = 1 + sign * nx * nx * a2, uy = sign * b2, uz = -sign * nx;
  const vx = b2, vy = sign + ny * ny * a2, vz = -ny;
  let taken = 0;
  for (let j = 0; j < found; j++) {
    const q = ids[j] * 3;
    const x = p[q] - px, y = p[q + 1] - py, z = p[q + 2] - pz;
    const u = x * ux + y * uy + z * uz;
    const v = x * vx + y * vy + z * vz;
    const s = Math.abs(u) + Math.abs(v);
    if (s < 1e-12) continue;
    const t = v / s;
    const angle = u < 0 ? 2 - t : v < 0 ? 4 + t : t;
    taken |= 1 << angle * 8;
  }
  let empty = ~taken;
  empty &= rotate(empty, 1);
  empty &= rotate(empty, 2);
  empty &= rotate(empty, 4);
  return (empty & rotate(empty, EMPTY_RUN - 8)) !== 0;
}
function rotate(bits, by) {
  return bits >>> by | bits << 32 - by;
}
function orient(cloud, normals, graph) {
  const n = normals.length / 3;
  const { positions, frame, frameOrigins } = cloud;
  if (frame && frameOrigins) {
    for (let i = 0; i < n; i++) {
      const f = frame[i] * 3;
      const d = normals[i * 3] * (frameOrigins[f] - positions[i * 3]) + normals[i * 3 + 1] * (frameOrigins[f + 1] - positions[i * 3 + 1]) + normals[i * 3 + 2] * (frameOrigins[f + 2] - positions[i * 3 + 2]);
      if (d < 0) flip(normals, i);
    }
  } else if (cloud.normals) {
    const given = cloud.normals;
    for (let i = 0; i < n; i++) {
      if (normals[i * 3] * given[i * 3] + normals[i * 3 + 1] * given[i * 3 + 1] + normals[i * 3 + 2] * given[i * 3 + 2] < 0) flip(normals, i);
    }
  } else if (graph) propagate(positions, normals, graph);
}
function flip(normals, i) {
  normals[i * 3] = -normals[i * 3];
  normals[i * 3 + 1] = -normals[i * 3 + 1];
  normals[i * 3 + 2] = -normals[i * 3 + 2];
}
function propagate(positions, normals, graph) {
  const n = normals.length / 3;
  const done = new Uint8Array(n);
  const order = Int32Array.from({ length: n }, (_, i) => i).sort((a2, b2) => positions[b2 * 3 + 2] - positions[a2 * 3 + 2]);
  const buckets = Array.from({ length: 64 }, () => []);
  let lowest = 64;
  const reverse = reverseGraph(graph, n);
  const offer = (from, to) => {
    if (to < 0 || done[to]) return;
    const dot = normals[from * 3] * normals[to * 3] + normals[from * 3 + 1] * normals[to * 3 + 1] + normals[from * 3 + 2] * normals[to * 3 + 2];
    const slot = Math.max(0, Math.min(63, Math.floor((1 - Math.abs(dot)) * 64)));
    buckets[slot].push(from, to);
    if (slot < lowest) lowest = slot;
  };
  const spread = (i) => {
    done[i] = 1;
    for (let j = 0; j < GRAPH_K; j++) offer(i, graph[i * GRAPH_K + j]);
    for (let j = reverse.start[i]; j < reverse.start[i + 1]; j++) offer(i, reverse.items[j]);
  };
  for (let s = 0; s < n; s++) {
    const seed = order[s];
    if (done[seed]) continue;
    if (normals[seed * 3 + 2] < 0) flip(normals, seed);
    spread(seed);
    for (; ; ) {
      while (lowest < 64 && buckets[lowest].length === 0) lowest++;
      if (lowest === 64) break;
      const to = buckets[lowest].pop();
      const from = buckets[lowest].pop();
      if (done[to]) continue;
      const dot = normals[from * 3] * normals[to * 3] + normals[from * 3 + 1] * normals[to * 3 + 1] + normals[from * 3 + 2] * normals[to * 3 + 2];
      if (dot < 0) flip(normals, to);
      spread(to);
    }
  }
}
function reverseGraph(graph, n) {
  const start2 = new Int32Array(n + 1);
  for (const to of graph) if (to >= 0) start2[to + 1]++;
  for (let i = 0; i < n; i++) start2[i + 1] += start2[i];
  const items = new Int32Array(start2[n]);
  const at = start2.slice();
  for (let i = 0; i < n * GRAPH_K; i++) if (graph[i] >= 0) items[at[graph[i]]++] = Math.floor(i / GRAPH_K);
  return { start: start2, items };
}

// core/src/cloud/thin.ts
function thinEvenly(cloud, spacingMm) {
  if (!(spacingMm > 0)) throw new GeometryError("PARAMS", `The spacing must be larger than 0 mm, not ${spacingMm}.`);
  const { positions } = cloud;
  const n = positions.length / 3;
  let size2 = 16;
  while (size2 < n * 2) size2 *= 2;
  const table = new Int32Array(size2).fill(-1);
  const best = new Float32Array(size2);
  const inverse = 1 / spacingMm;
  const cellX = new Int32Array(size2), cellY = new Int32Array(size2), cellZ = new Int32Array(size2);
  for (let i = 0; i < n; i++) {
    const fx = positions[i * 3] * inverse, fy = positions[i * 3 + 1] * inverse, fz = positions[i * 3 + 2] * inverse;
    const x = Math.floor(fx), y = Math.floor(fy), z = Math.floor(fz);
    const dx = fx - x - 0.5, dy = fy - y - 0.5, dz = fz - z - 0.5;
    const d = dx * dx + dy * dy + dz * dz;
    let slot = (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & size2 - 1;
    for (; ; ) {
      if (table[slot] < 0) {
        table[slot] = i;
        best[slot] = d;
        cellX[slot] = x;
        cellY[slot] = y;
        cellZ[slot] = z;
        break;
      }
      if (cellX[slot] === x && cellY[slot] === y && cellZ[slot] === z) {
        if (d < best[slot]) {
          table[slot] = i;
          best[slot] = d;
        }
        break;
      }
      slot = slot + 1 & size2 - 1;
    }
  }
  return table.filter((i) => i >= 0).sort();
}

// core/src/align/oriented-cloud.ts
function prepareCloud(cloud, context) {
  const tree = new KdTree(cloud.positions);
  const features = estimateFeaturesSparsely(cloud, tree, stage(context, 0.2, 1));
  return {
    positions: cloud.positions,
    // The cloud's own normals come from a device or a mesh and know more than ours; ours say where the rim is.
    features: cloud.normals && hasAllNormals(cloud.normals) ? { ...features, normals: cloud.normals } : features,
    tree,
    sizeMm: diagonal(boundsOf(cloud.positions))
  };
}
function hasAllNormals(normals) {
  for (let i = 0; i < normals.length; i += 3) if (normals[i] === 0 && normals[i + 1] === 0 && normals[i + 2] === 0) return false;
  return true;
}
function evenSample(cloud, share) {
  const spacing = cloud.sizeMm * share;
  if (spacing <= cloud.features.spacingMm) return Int32Array.from(cloud.tree.ids);
  return thinEvenly({ kind: "cloud", positions: cloud.positions }, spacing);
}

// core/src/align/icp.ts
var ICP_DEFAULTS = { maxIterations: 60 };
var COARSE_COSINE = 0.5;
var FINE_COSINE = Math.SQRT1_2;
var SETTLED = 0.3;
var SETTLED_COARSE = 3;
var MAX_STRIDE = 1.5;
function matchFine(source, target, initial, options, context) {
  const size2 = Math.max(source.sizeMm, target.sizeMm);
  const maxIterations = options.maxIterations ?? ICP_DEFAULTS.maxIterations;
  const spacing = Math.max(source.features.spacingMm, target.features.spacingMm);
  const floor = 2.5 * spacing + 3 * Math.max(source.features.noiseMm, target.features.noiseMm);
  const levels = [
    { forward: evenSample(source, 1 / 40), backward: null, minCosine: COARSE_COSINE, maxIterations, toleranceMm: size2 * 3e-4 },
    { forward: evenSample(source, 1 / 100), backward: null, minCosine: COARSE_COSINE, maxIterations, toleranceMm: size2 * 3e-5 },
    { forward: everyNth(source.tree.ids, 5), backward: everyNth(target.tree.ids, 5), minCosine: FINE_COSINE, maxIterations, toleranceMm: size2 * 1e-6 },
    { forward: source.tree.ids, backward: target.tree.ids, minCosine: FINE_COSINE, maxIterations, toleranceMm: size2 * 1e-7 }
  ];
  const solver = new PairSolver(source, target, size2);
  let motion = Float64Array.from(initial);
  let limit = options.maxPairDistanceMm ?? size2 * 0.1;
  let iterations = 0;
  let stop = "iterations";
  for (let l = 0; l < levels.length; l++) {
    const level = levels[l];
    solver.reset(level);
    let previous = Infinity;
    let stride = 1;
    stop = "iterations";
    for (let i = 0; i < level.maxIterations; i++) {
      checkpoint(context, l + i / level.maxIterations, levels.length, "Matching the surfaces");
      const found = solver.gather(level, motion, Math.max(limit, floor));
      if (found < 20) {
        if (l === 0 && i === 0) throw new GeometryError("NO_OVERLAP", "The two takes have no common surface near this start. Place them closer or pick three pairs.");
        stop = "no overlap";
        break;
      }
      const step = solver.solve(motion, stride);
      motion = orthonormalise(step.motion);
      iterations++;
      const moved = step.shiftMm;
      limit = Math.min(limit, Math.max(floor, 4 * step.medianDistanceMm));
      const last = l === levels.length - 1;
      const settledMm = (last ? SETTLED : SETTLED_COARSE) * solver.scatterMm / Math.sqrt(solver.count);
      if (moved < Math.max(level.toleranceMm, settledMm) || last && moved > previous * 0.9 && moved < size2 * 1e-5 && i > 8) {
        stop = "converged";
        break;
      }
      stride = l >= 2 && step.alongPrevious && moved < previous ? Math.min(MAX_STRIDE, 1 / (1 - moved / previous)) : 1;
      previous = moved;
    }
    if (stop === "no overlap") break;
  }
  return {
    motion,
    iterations,
    stop,
    pairs: solver.count,
    scatterMm: solver.scatterMm,
    normalMatrix: solver.normalMatrix.slice(),
    centreMm: solver.centre
  };
}
function everyNth(ids, n) {
  const out = new Int32Array(Math.ceil(ids.length / n));
  for (let i = 0; i < out.length; i++) out[i] = ids[i * n];
  return out;
}
var MatchMemory = class {
  /** How far any point may have moved since the level began, mm. */
  travelled = 0;
  match;
  /** `travelled` up to which the match is sure. */
  lead;
  constructor(count) {
    this.match = new Int32Array(count).fill(-1);
    this.lead = new Float64Array(count).fill(-1);
  }
};
var PairSolver = class {
  constructor(source, target, sizeMm) {
    this.source = source;
    this.target = target;
    this.sizeMm = sizeMm;
    const p = target.positions;
    const c = [0, 0, 0];
    for (let i = 0; i < p.length; i++) c[i % 3] += p[i];
    this.centre = [c[0] * 3 / p.length, c[1] * 3 / p.length, c[2] * 3 / p.length];
  }
  source;
  target;
  sizeMm;
  count = 0;
  scatterMm = 0;
  normalMatrix = new Float64Array(36);
  centre;
  /** Per pair: midpoint − centre (3), unit mean normal (3), residual, distance. */
  pair = new Float64Array(0);
  lastTwist = new Float64Array(6);
  forward = new MatchMemory(0);
  backward = new MatchMemory(0);
  reset(level) {
    this.lastTwist.fill(0);
    this.forward = new MatchMemory(level.forward.length);
    this.backward = new MatchMemory(level.backward?.length ?? 0);
    this.pair = new Float64Array((level.forward.length + (level.backward?.length ?? 0)) * 8);
  }
  gather(level, motion, limit) {
    this.count = 0;
    this.oneWay(this.source, this.target, motion, level.forward, this.forward, limit, level.minCosine, false);
    if (level.backward) this.oneWay(this.target, this.source, invertRigid(motion), level.backward, this.backward, limit, level.minCosine, true, motion);
    return this.count;
  }
  oneWay(from, to, motion, sample, memory, limit, minCosine, reversed, back = motion) {
    const p = from.positions, pn = from.features.normals, pb = from.features.boundary;
    const q = to.positions, qn = to.features.normals, qb = to.features.boundary;
    const { tree } = to;
    const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = motion;
    const [b0, b1, b2, b3, b4, b5, b6, b7, b8, b9, b10, b11] = back;
    const [cx, cy, cz] = this.centre;
    const limit2 = limit * limit;
    const out = this.pair;
    let at = this.count * 8;
    for (let s = 0; s < sample.length; s++) {
      const i = sample[s] * 3;
      if (pb[sample[s]]) continue;
      const x = m0 * p[i] + m1 * p[i + 1] + m2 * p[i + 2] + m3;
      const y = m4 * p[i] + m5 * p[i + 1] + m6 * p[i + 2] + m7;
      const z = m8 * p[i] + m9 * p[i + 1] + m10 * p[i + 2] + m11;
      let j = memory.match[s];
      if (memory.lead[s] < memory.travelled) {
        j = tree.nearestTwo(x, y, z, limit2);
        memory.match[s] = j;
        memory.lead[s] = j < 0 ? -1 : memory.travelled + (Math.sqrt(tree.secondDistance2) - Math.sqrt(tree.lastDistance2)) / 2;
      }
      if (j < 0 || qb[j]) continue;
      const nx = m0 * pn[i] + m1 * pn[i + 1] + m2 * pn[i + 2];
      const ny = m4 * pn[i] + m5 * pn[i + 1] + m6 * pn[i + 2];
      const nz = m8 * pn[i] + m9 * pn[i + 1] + m10 * pn[i + 2];
      const k = j * 3;
      if (nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2] < minCosine) continue;
      let ux = nx + qn[k], uy = ny + qn[k + 1], uz = nz + qn[k + 2];
      const l = Math.sqrt(ux * ux + uy * uy + uz * uz);
      ux /= l;
      uy /= l;
      uz /= l;
      let mx = (x + q[k]) / 2, my = (y + q[k + 1]) / 2, mz = (z + q[k + 2]) / 2;
      const dx = x - q[k], dy = y - q[k + 1], dz = z - q[k + 2];
      let r = ux * dx + uy * dy + uz * dz;
      if (reversed) {
        const rx = b0 * mx + b1 * my + b2 * mz + b3;
        const ry = b4 * mx + b5 * my + b6 * mz + b7;
        const rz = b8 * mx + b9 * my + b10 * mz + b11;
        mx = rx;
        my = ry;
        mz = rz;
        const vx = b0 * ux + b1 * uy + b2 * uz;
        const vy = b4 * ux + b5 * uy + b6 * uz;
        const vz = b8 * ux + b9 * uy + b10 * uz;
        ux = vx;
        uy = vy;
        uz = vz;
        r = -r;
      }
      const d2 = dx * dx + dy * dy + dz * dz;
      if (d2 > limit2) continue;
      out[at] = mx - cx;
      out[at + 1] = my - cy;
      out[at + 2] = mz - cz;
      out[at + 3] = ux;
      out[at + 4] = uy;
      out[at + 5] = uz;
      out[at + 6] = r;
      out[at + 7] = d2;
      at += 8;
    }
    this.count = at / 8;
  }
  solve(motion, stride) {
    const { pair, count } = this;
    const step = Math.max(1, Math.floor(count / 4e3));
    const sampled = Math.ceil(count / step);
    const residuals = new Float64Array(sampled);
    const distances = new Float64Array(sampled);
    for (let i = 0, k = 0; i < count; i += step, k++) {
      residuals[k] = Math.abs(pair[i * 8 + 6]);
      distances[k] = pair[i * 8 + 7];
    }
    this.scatterMm = 1.4826 * median(residuals);
    const tukey = 4.685 * Math.max(this.scatterMm, this.sizeMm * 1e-7);
    const a2 = this.normalMatrix.fill(0);
    const g = new Float64Array(6);
    const row = new Float64Array(6);
    for (let i = 0; i < count; i++) {
      const at = i * 8;
      const r = pair[at + 6];
      const u = r / tukey;
      if (u >= 1 || u <= -1) continue;
      const w = (1 - u * u) * (1 - u * u);
      const mx = pair[at], my = pair[at + 1], mz = pair[at + 2], nx = pair[at + 3], ny = pair[at + 4], nz = pair[at + 5];
      row[0] = my * nz - mz * ny;
      row[1] = mz * nx - mx * nz;
      row[2] = mx * ny - my * nx;
      row[3] = nx;
      row[4] = ny;
      row[5] = nz;
      for (let c = 0; c < 6; c++) {
        const wc = w * row[c];
        g[c] -= wc * r;
        for (let d = c; d < 6; d++) a2[c * 6 + d] += wc * row[d];
      }
    }
    for (let c = 0; c < 6; c++) for (let d = 0; d < c; d++) a2[c * 6 + d] = a2[d * 6 + c];
    const twist = new Float64Array(6);
    let damped = a2;
    for (let damping = 1e-9; !solveCholesky(damped, g, twist, 6); damping *= 100) {
      damped = a2.slice();
      for (let c = 0; c < 6; c++) damped[c * 6 + c] += damping * (c < 3 ? (a2[0] + a2[7] + a2[14]) / 3 : (a2[21] + a2[28] + a2[35]) / 3) + 1e-12;
      if (damping > 1) throw new GeometryError("DEGENERATE", "The common surface does not say how the takes fit.");
    }
    const arm = this.sizeMm / 2;
    let along = 0, own = 0, before = 0;
    for (let c = 0; c < 6; c++) {
      const w = c < 3 ? arm * arm : 1;
      along += w * twist[c] * this.lastTwist[c];
      own += w * twist[c] * twist[c];
      before += w * this.lastTwist[c] * this.lastTwist[c];
    }
    const alongPrevious = along > 0.8 * Math.sqrt(own * before) && before > 0;
    this.lastTwist.set(twist);
    const turn2 = Math.hypot(twist[0], twist[1], twist[2]);
    const shift = Math.hypot(twist[3], twist[4], twist[5]);
    for (let c = 0; c < 6; c++) twist[c] *= stride;
    const farthest = (shift + turn2 * 2 * this.sizeMm) * stride;
    this.forward.travelled += farthest;
    this.backward.travelled += farthest;
    const [cx, cy, cz] = this.centre;
    const there = rotationMotion([0, 0, 1], 0, [cx, cy, cz]);
    const back = rotationMotion([0, 0, 1], 0, [-cx, -cy, -cz]);
    const delta = compose(there, compose(twistMotion(twist), back));
    return {
      motion: compose(delta, motion),
      shiftMm: shift + turn2 * arm,
      medianDistanceMm: Math.sqrt(median(distances)),
      alongPrevious
    };
  }
};

// core/src/findings.ts
var ORDER = ["sound", "doubtful", "unsound"];
function worst(findings) {
  return findings.reduce((w, f) => ORDER.indexOf(f.verdict) > ORDER.indexOf(w) ? f.verdict : w, "sound");
}
var mm = (v, digits = 2) => `${v.toFixed(digits)} mm`;
var percent = (v, digits = 1) => `${(v * 100).toFixed(digits)} %`;
var grouped = (v) => Math.round(v).toLocaleString("en");

// core/src/operations/operation.ts
var registry = /* @__PURE__ */ new Map();
function defineOperation(operation) {
  if (registry.has(operation.name)) throw new Error(`operation ${operation.name} is defined twice`);
  registry.set(operation.name, operation);
  return operation;
}
var cloudOf = (inputs, name) => inputs[name];
var meshOf = (inputs, name) => inputs[name];
var cloudsOf = (inputs, name) => inputs[name];
var motionsOf = (inputs, name) => inputs[name];

// core/src/operations/selection.ts
function selectionOf(mask, value) {
  const bits = new Uint8Array(Math.ceil(mask.length / 8));
  for (let i = 0; i < mask.length; i++) if (mask[i] === value) bits[i >> 3] |= 1 << (i & 7);
  return { kind: "selection", count: mask.length, bits };
}
function cutOrSelect(cloud, mask, apply) {
  return apply ? { take: pickPoints(cloud, indicesWhere(mask, 1)) } : { selection: selectionOf(mask, 0) };
}

// core/src/operations/trim-table.ts
import Joi from "joi";

// core/src/cloud/plane.ts
var PLANE_DEFAULTS = { confidence: 0.9999, maxAngleDeg: 25 };
function ransacTrials(inlierShare, sampleSize, confidence) {
  const w = inlierShare ** sampleSize;
  if (w >= 1) return 1;
  if (w <= 0) return Infinity;
  return Math.ceil(Math.log(1 - confidence) / Math.log(1 - w));
}
function findDominantPlane(cloud, context, options) {
  const { positions, normals } = cloud;
  const n = positions.length / 3;
  if (n < 3) throw new GeometryError("EMPTY", `A plane needs three points; there ${n === 1 ? "is" : "are"} ${n}.`);
  const band = options.bandMm;
  if (!(band > 0)) throw new GeometryError("PARAMS", "The band of the plane must be larger than 0 mm.");
  const confidence = options.confidence ?? PLANE_DEFAULTS.confidence;
  const minDot = Math.cos((options.maxAngleDeg ?? PLANE_DEFAULTS.maxAngleDeg) * Math.PI / 180);
  const { random } = context;
  const sampleCount = Math.min(n, 6e3);
  const sample = new Int32Array(sampleCount);
  for (let i = 0; i < sampleCount; i++) sample[i] = n <= 6e3 ? i : random.integer(n);
  let bestVotes = 0;
  let best = [0, 0, 1, 0];
  let trials = 2e3;
  for (let t = 0; t < trials; t++) {
    if ((t & 63) === 0) checkpoint(context, t, trials, "Looking for the table");
    const a2 = sample[random.integer(sampleCount)] * 3;
    const b2 = sample[random.integer(sampleCount)] * 3;
    const c = sample[random.integer(sampleCount)] * 3;
    const plane2 = planeThrough(positions, a2, b2, c);
    if (!plane2) continue;
    const [nx, ny, nz, d] = plane2;
    let votes = 0;
    for (let s = 0; s < sampleCount; s++) {
      const i = sample[s] * 3;
      const r = nx * positions[i] + ny * positions[i + 1] + nz * positions[i + 2] - d;
      if (r > band || r < -band) continue;
      if (normals && Math.abs(nx * normals[i] + ny * normals[i + 1] + nz * normals[i + 2]) < minDot) continue;
      votes++;
    }
    if (votes > bestVotes) {
      bestVotes = votes;
      best = plane2;
      trials = Math.min(2e3, Math.max(50, ransacTrials(votes / sampleCount, 3, confidence)));
    }
  }
  if (bestVotes < Math.max(3, sampleCount * 0.03)) {
    throw new GeometryError("DEGENERATE", "No table was found: fewer than 3 % of the points lie on any one plane.");
  }
  let plane = { normal: [best[0], best[1], best[2]], offsetMm: best[3], rmsMm: band, inliers: bestVotes };
  let width = band;
  for (let round = 0; round < 4; round++) {
    const refined = leastSquaresPlane(positions, normals, plane, width, minDot);
    if (!refined) break;
    plane = refined;
    width = Math.min(band, Math.max(3 * plane.rmsMm, band * 1e-3));
  }
  return towardsPiece(positions, plane, band);
}
function planeThrough(p, a2, b2, c) {
  const ux = p[b2] - p[a2], uy = p[b2 + 1] - p[a2 + 1], uz = p[b2 + 2] - p[a2 + 2];
  const vx = p[c] - p[a2], vy = p[c + 1] - p[a2 + 1], vz = p[c + 2] - p[a2 + 2];
  const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
  const l = Math.hypot(x, y, z);
  if (!(l > 1e-9 * (ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz))) return null;
  return [x / l, y / l, z / l, (x * p[a2] + y * p[a2 + 1] + z * p[a2 + 2]) / l];
}
function leastSquaresPlane(p, normals, plane, width, minDot) {
  const [nx, ny, nz] = plane.normal;
  const ox = nx * plane.offsetMm, oy = ny * plane.offsetMm, oz = nz * plane.offsetMm;
  let m = 0, sx = 0, sy = 0, sz = 0, xx = 0, xy = 0, xz = 0, yy = 0, yz = 0, zz = 0;
  for (let i = 0; i < p.length; i += 3) {
    const x = p[i] - ox, y = p[i + 1] - oy, z = p[i + 2] - oz;
    const r = nx * x + ny * y + nz * z;
    if (r > width || r < -width) continue;
    if (normals && Math.abs(nx * normals[i] + ny * normals[i + 1] + nz * normals[i + 2]) < minDot) continue;
    m++;
    sx += x;
    sy += y;
    sz += z;
    xx += x * x;
    xy += x * y;
    xz += x * z;
    yy += y * y;
    yz += y * z;
    zz += z * z;
  }
  if (m < 3) return null;
  const e = new Float64Array(6);
  smallestEigen3(xx - sx * sx / m, xy - sx * sy / m, xz - sx * sz / m, yy - sy * sy / m, yz - sy * sz / m, zz - sz * sz / m, e);
  let [ax, ay, az] = [e[3], e[4], e[5]];
  if (ax * nx + ay * ny + az * nz < 0) {
    ax = -ax;
    ay = -ay;
    az = -az;
  }
  const offsetMm = ax * (ox + sx / m) + ay * (oy + sy / m) + az * (oz + sz / m);
  return { normal: [ax, ay, az], offsetMm, rmsMm: Math.sqrt(Math.max(0, e[0]) / m), inliers: m };
}
function towardsPiece(p, plane, band) {
  const [x, y, z] = plane.normal;
  let above = 0;
  let below = 0;
  for (let i = 0; i < p.length; i += 3) {
    const r = x * p[i] + y * p[i + 1] + z * p[i + 2] - plane.offsetMm;
    if (r > band) above++;
    else if (r < -band) below++;
  }
  if (above >= below) return plane;
  return { ...plane, normal: [-x, -y, -z], offsetMm: -plane.offsetMm };
}
function maskAbovePlane(cloud, plane, offsetMm) {
  const { positions } = cloud;
  const mask = new Uint8Array(positions.length / 3);
  const [x, y, z] = plane.normal;
  const limit = plane.offsetMm + offsetMm;
  for (let i = 0, p = 0; i < mask.length; i++, p += 3) {
    mask[i] = x * positions[p] + y * positions[p + 1] + z * positions[p + 2] > limit ? 1 : 0;
  }
  return mask;
}

// core/src/operations/trim-table.ts
var trimTable = defineOperation({
  name: "tidy.trimTable",
  version: 1,
  inputs: { take: "cloud" },
  params: Joi.object({
    offsetMm: Joi.number().min(0).max(1e3).default(0.6),
    bandMm: Joi.number().positive().max(1e3).default(0.5),
    apply: Joi.boolean().default(true)
  }),
  estimate: ({ take }) => ({ work: take.positions.length / 1e6, bytes: take.positions.byteLength * 3 }),
  run(inputs, params, context) {
    const cloud = cloudOf(inputs, "take");
    const normals = cloud.normals ?? estimateFeatures(cloud, stage(context, 0, 0.6)).normals;
    const plane = findDominantPlane({ ...cloud, normals }, stage(context, 0.6, 0.9), { bandMm: params.bandMm });
    const mask = maskAbovePlane(cloud, plane, params.offsetMm);
    const keep = indicesWhere(mask, 1);
    const n = mask.length;
    if (keep.length === 0) throw new GeometryError("EMPTY", "Cutting there would take everything away: the plane found is not a table under a piece. Lower the cut or skip it.");
    const share = 1 - keep.length / n;
    const findings = [{
      id: "tidy.table",
      verdict: share > 0.97 ? "doubtful" : "sound",
      text: share > 0.97 ? `The table takes ${grouped(n - keep.length)} of ${grouped(n)} points, nearly all of the take. Is a flat side of the piece being taken for the table?` : `The table is ${grouped(n - keep.length)} of ${grouped(n)} points; it is flat to ${mm(plane.rmsMm, 3)}.`
    }];
    return {
      outputs: cutOrSelect(cloud, mask, params.apply),
      figures: {
        before: n,
        cut: n - keep.length,
        share,
        tableRmsMm: plane.rmsMm,
        offsetMm: params.offsetMm,
        planeX: plane.normal[0],
        planeY: plane.normal[1],
        planeZ: plane.normal[2],
        planeOffsetMm: plane.offsetMm
      },
      findings
    };
  },
  describe: (params, figures) => `Cut ${grouped(Number(figures.cut))} points below a plane ${params.offsetMm} mm above the table`
});

// core/src/operations/remove-strays.ts
import Joi2 from "joi";

// core/src/spatial/union-find.ts
var UnionFind = class {
  parent;
  constructor(n) {
    this.parent = new Int32Array(n);
    for (let i = 0; i < n; i++) this.parent[i] = i;
  }
  find(i) {
    const p = this.parent;
    while (p[i] !== i) {
      p[i] = p[p[i]];
      i = p[i];
    }
    return i;
  }
  union(a2, b2) {
    const x = this.find(a2);
    const y = this.find(b2);
    if (x < y) this.parent[y] = x;
    else if (y < x) this.parent[x] = y;
  }
  /** Label 0…k−1 per item in order of first appearance, and the size of each set. */
  labels() {
    const n = this.parent.length;
    const label = new Int32Array(n).fill(-1);
    const sizes = [];
    for (let i = 0; i < n; i++) {
      const root = this.find(i);
      if (label[root] < 0) {
        label[root] = sizes.length;
        sizes.push(0);
      }
      label[i] = label[root];
      sizes[label[i]]++;
    }
    return { label, sizes };
  }
};

// core/src/cloud/components.ts
function connectedComponents(cloud, distanceMm, context) {
  if (!(distanceMm > 0)) throw new GeometryError("PARAMS", `The gap that separates strays must be larger than 0 mm, not ${distanceMm}.`);
  const { positions } = cloud;
  const n = positions.length / 3;
  const cells = new CellIndex(positions, distanceMm / Math.sqrt(3));
  const sets = new UnionFind(n);
  for (let c = 0; c < cells.count; c++) {
    for (let k = cells.start[c] + 1; k < cells.start[c + 1]; k++) sets.union(cells.items[cells.start[c]], cells.items[k]);
  }
  const limit = distanceMm * distanceMm;
  for (let c = 0; c < cells.count; c++) {
    if ((c & 1023) === 0) checkpoint(context, c, cells.count, "Joining parts");
    const first = cells.items[cells.start[c]];
    const cx = cells.x[c], cy = cells.y[c], cz = cells.z[c];
    for (let dz = 0; dz <= 2; dz++) {
      for (let dy = dz === 0 ? 0 : -2; dy <= 2; dy++) {
        for (let dx = dz === 0 && dy === 0 ? 1 : -2; dx <= 2; dx++) {
          const other = cells.find(cx + dx, cy + dy, cz + dz);
          if (other < 0 || sets.find(first) === sets.find(cells.items[cells.start[other]])) continue;
          if (closerThan(positions, cells, c, other, limit)) sets.union(first, cells.items[cells.start[other]]);
        }
      }
    }
  }
  const { label, sizes } = sets.labels();
  return { label, sizes };
}
function closerThan(p, cells, a2, b2, limit) {
  for (let k = cells.start[a2]; k < cells.start[a2 + 1]; k++) {
    const i = cells.items[k] * 3;
    for (let l = cells.start[b2]; l < cells.start[b2 + 1]; l++) {
      const j = cells.items[l] * 3;
      const x = p[i] - p[j], y = p[i + 1] - p[j + 1], z = p[i + 2] - p[j + 2];
      if (x * x + y * y + z * z <= limit) return true;
    }
  }
  return false;
}
function statisticalInliers(cloud, neighbours, sigma, context) {
  const { positions } = cloud;
  const n = positions.length / 3;
  const mean = new Float64Array(n);
  forEachNeighbourhood(positions, neighbours + 1, false, (i, _ids, d2, found) => {
    let sum = 0;
    for (let j = 0; j < found; j++) sum += Math.sqrt(d2[j]);
    mean[i] = found > 1 ? sum / (found - 1) : Infinity;
  }, (done) => checkpoint(context, done, n, "Looking for strays"));
  let average = 0;
  for (const m of mean) average += m / n;
  let variance = 0;
  for (const m of mean) variance += (m - average) * (m - average) / Math.max(1, n - 1);
  const limit = average + sigma * Math.sqrt(variance);
  return Uint8Array.from(mean, (m) => m <= limit ? 1 : 0);
}

// core/src/operations/remove-strays.ts
var removeStrays = defineOperation({
  name: "tidy.removeStrays",
  version: 1,
  inputs: { take: "cloud" },
  params: Joi2.object({
    gapMm: Joi2.number().positive().max(1e3).default(2),
    /** Parts with at least this share of the largest one's points stay. */
    minShare: Joi2.number().min(0).max(1).default(0.1),
    outlierNeighbours: Joi2.number().integer().min(0).max(200).default(0),
    outlierSigma: Joi2.number().positive().max(100).default(3),
    apply: Joi2.boolean().default(true)
  }),
  estimate: ({ take }) => ({ work: take.positions.length / 1e6, bytes: take.positions.byteLength * 4 }),
  run(inputs, params, context) {
    const cloud = cloudOf(inputs, "take");
    const { label, sizes } = connectedComponents(cloud, params.gapMm, stage(context, 0, 0.5));
    let largest = 0;
    for (const s of sizes) if (s > largest) largest = s;
    const mask = Uint8Array.from(label, (l) => sizes[l] >= largest * params.minShare ? 1 : 0);
    if (params.outlierNeighbours > 0) {
      const inliers = statisticalInliers(cloud, params.outlierNeighbours, params.outlierSigma, stage(context, 0.5, 1));
      for (let i = 0; i < mask.length; i++) mask[i] = mask[i] & inliers[i];
    }
    const keep = indicesWhere(mask, 1);
    const gone = mask.length - keep.length;
    const parts = sizes.filter((s) => s < largest * params.minShare).length;
    const keptParts = sizes.length - parts;
    const findings = [{
      id: "tidy.strays",
      verdict: keptParts > 1 ? "doubtful" : "sound",
      text: keptParts > 1 ? `${keptParts} large parts lie farther than ${mm(params.gapMm, 1)} apart and were kept. Is one of them a prop?` : gone === 0 ? "No strays: every point hangs together with the piece." : `${grouped(gone)} strays in ${grouped(parts)} floating ${parts === 1 ? "patch" : "patches"} hang apart from the piece.`
    }];
    return {
      outputs: cutOrSelect(cloud, mask, params.apply),
      figures: { before: mask.length, cut: gone, share: gone / mask.length, patches: parts, keptParts, gapMm: params.gapMm },
      findings
    };
  },
  describe: (params, figures) => `Removed ${grouped(Number(figures.cut))} strays farther than ${params.gapMm} mm from the piece`
});

// core/src/operations/thin.ts
import Joi3 from "joi";
var thinTake = defineOperation({
  name: "tidy.thin",
  version: 1,
  inputs: { take: "cloud" },
  params: Joi3.object({ spacingMm: Joi3.number().positive().required() }),
  estimate: ({ take }) => ({ work: take.positions.length / 3e6, bytes: take.positions.byteLength * 3 }),
  run(inputs, params) {
    const cloud = cloudOf(inputs, "take");
    const kept = thinEvenly(cloud, params.spacingMm);
    const before = cloud.positions.length / 3;
    return {
      outputs: { take: pickPoints(cloud, kept) },
      figures: { before, cut: before - kept.length, share: 1 - kept.length / before, spacingMm: params.spacingMm },
      findings: []
    };
  },
  describe: (params, figures) => `Thinned to ${params.spacingMm} mm: ${grouped(Number(figures.before) - Number(figures.cut))} of ${grouped(Number(figures.before))} points stay`
});

// core/src/operations/join.ts
import Joi4 from "joi";

// core/src/align/overlap.ts
function measureOverlap(source, target, motion) {
  const sigma = Math.max(source.features.noiseMm, target.features.noiseMm);
  const reach = 3 * sigma + Math.max(source.features.spacingMm, target.features.spacingMm) * 1.5;
  const share = 1 / 150;
  const a2 = oneWay(source, target, motion, reach, share);
  const b2 = oneWay(target, source, invertRigid(motion), reach, share);
  const smaller = a2.sampled <= b2.sampled ? a2 : b2;
  const residuals = Float64Array.from([...a2.residuals, ...b2.residuals]).sort();
  let sum = 0;
  for (const r of residuals) sum += r * r;
  const cell = (a2.sampled <= b2.sampled ? source : target).sizeMm * share;
  return {
    share: smaller.sampled > 0 ? smaller.hits / smaller.sampled : 0,
    areaMm2: smaller.hits * cell * cell,
    rmsMm: residuals.length > 0 ? Math.sqrt(sum / residuals.length) : 0,
    p95Mm: residuals.length > 0 ? residuals[Math.min(residuals.length - 1, Math.floor(residuals.length * 0.95))] : 0,
    expectedMm: Math.hypot(source.features.noiseMm, target.features.noiseMm)
  };
}
function oneWay(from, to, motion, reach, share) {
  const sample = evenSample(from, share);
  const p = from.positions, pn = from.features.normals;
  const q = to.positions, qn = to.features.normals;
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = motion;
  const residuals = [];
  for (const s of sample) {
    const i = s * 3;
    const x = m0 * p[i] + m1 * p[i + 1] + m2 * p[i + 2] + m3;
    const y = m4 * p[i] + m5 * p[i + 1] + m6 * p[i + 2] + m7;
    const z = m8 * p[i] + m9 * p[i + 1] + m10 * p[i + 2] + m11;
    const j = to.tree.nearest(x, y, z, reach * reach);
    if (j < 0) continue;
    const k = j * 3;
    const nx = m0 * pn[i] + m1 * pn[i + 1] + m2 * pn[i + 2];
    const ny = m4 * pn[i] + m5 * pn[i + 1] + m6 * pn[i + 2];
    const nz = m8 * pn[i] + m9 * pn[i + 1] + m10 * pn[i + 2];
    if (nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2] < Math.SQRT1_2) continue;
    const ux = nx + qn[k], uy = ny + qn[k + 1], uz = nz + qn[k + 2];
    residuals.push(Math.abs((ux * (x - q[k]) + uy * (y - q[k + 1]) + uz * (z - q[k + 2])) / Math.sqrt(ux * ux + uy * uy + uz * uz)));
  }
  return { sampled: sample.length, hits: residuals.length, residuals };
}

// core/src/align/pairs.ts
import { Matrix, SVD } from "ml-matrix";
var LINE_RATIO = 0.02;
function rigidFromPairs(from, to) {
  const n = from.length / 3;
  if (from.length !== to.length || !Number.isInteger(n)) throw new GeometryError("SHAPE", "Both sides of the pairs need the same number of points.");
  if (n < 3) throw new GeometryError("PARAMS", `Three pairs or more are needed; there ${n === 1 ? "is" : "are"} ${n}.`);
  for (const v2 of [...from, ...to]) if (!Number.isFinite(v2)) throw new GeometryError("NOT_FINITE", "One of the picked points has a coordinate that is not a number.");
  const a2 = centred(from);
  const b2 = centred(to);
  refuseDegenerate(a2.rows, "first");
  refuseDegenerate(b2.rows, "second");
  const svd = new SVD(b2.rows.transpose().mmul(a2.rows), { autoTranspose: true });
  const u = svd.leftSingularVectors;
  const v = svd.rightSingularVectors;
  const sign = determinant3(u) * determinant3(v) < 0 ? -1 : 1;
  const r = u.mmul(Matrix.diag([1, 1, sign])).mmul(v.transpose());
  const motion = Float64Array.of(
    r.get(0, 0),
    r.get(0, 1),
    r.get(0, 2),
    0,
    r.get(1, 0),
    r.get(1, 1),
    r.get(1, 2),
    0,
    r.get(2, 0),
    r.get(2, 1),
    r.get(2, 2),
    0,
    0,
    0,
    0,
    1
  );
  const c = transformPoint(motion, a2.mean[0], a2.mean[1], a2.mean[2]);
  for (let i = 0; i < 3; i++) motion[i * 4 + 3] = b2.mean[i] - c[i];
  const residualMm = new Float64Array(n);
  let sum = 0;
  for (let i = 0; i < n; i++) {
    const p = transformPoint(motion, from[i * 3], from[i * 3 + 1], from[i * 3 + 2]);
    residualMm[i] = Math.hypot(p[0] - to[i * 3], p[1] - to[i * 3 + 1], p[2] - to[i * 3 + 2]);
    sum += residualMm[i] ** 2;
  }
  return { motion, rmsMm: Math.sqrt(sum / n), residualMm };
}
function centred(points) {
  const n = points.length / 3;
  const mean = [0, 0, 0];
  for (let i = 0; i < points.length; i++) mean[i % 3] += points[i] / n;
  const rows = new Matrix(n, 3);
  for (let i = 0; i < points.length; i++) rows.set(Math.floor(i / 3), i % 3, points[i] - mean[i % 3]);
  return { rows, mean };
}
function refuseDegenerate(rows, side2) {
  const s = new SVD(rows, { autoTranspose: true }).diagonal;
  if (!(s[0] > 1e-9)) throw new GeometryError("DEGENERATE", `The points picked on the ${side2} take are all at one place. Spread them over the piece.`);
  if (s[1] < LINE_RATIO * s[0]) throw new GeometryError("DEGENERATE", `The points picked on the ${side2} take lie on one line, so the take could still turn round it. Pick one more point well off the line.`);
}
function determinant3(m) {
  return m.get(0, 0) * (m.get(1, 1) * m.get(2, 2) - m.get(1, 2) * m.get(2, 1)) - m.get(0, 1) * (m.get(1, 0) * m.get(2, 2) - m.get(1, 2) * m.get(2, 0)) + m.get(0, 2) * (m.get(1, 0) * m.get(2, 1) - m.get(1, 1) * m.get(2, 0));
}

// core/src/operations/join.ts
var point = Joi4.array().items(Joi4.number()).length(3);
var pickEnd = Joi4.object({ take: Joi4.string().required(), at: point.required() });
var MIN_OVERLAP = 0.2;
var pickPairsSchema = Joi4.array().items(Joi4.object({ a: pickEnd.required(), b: pickEnd.required() }));
var joinTakes = defineOperation({
  name: "join.match",
  version: 1,
  inputs: { takes: "clouds" },
  params: Joi4.object({
    names: Joi4.array().items(Joi4.string()).min(1).required(),
    fixed: Joi4.string().required(),
    picks: pickPairsSchema.default([]),
    initial: Joi4.object().pattern(Joi4.string(), Joi4.array().items(Joi4.array().items(Joi4.number()).length(4)).length(4)).default({}),
    toleranceMm: Joi4.number().positive().allow(null).default(null),
    fine: Joi4.boolean().default(true)
  }),
  estimate: ({ takes: takes2 }) => {
    const points = takes2.reduce((n, t) => n + t.positions.length / 3, 0);
    return { work: points / 1e6 * 40, bytes: points * 120 };
  },
  run(inputs, params, context) {
    const clouds = cloudsOf(inputs, "takes");
    const { names, fixed } = params;
    if (names.length !== clouds.length) throw new GeometryError("PARAMS", `There are ${clouds.length} takes but ${names.length} names.`);
    if (clouds.length < 2) throw new GeometryError("PARAMS", "Joining needs two takes or more.");
    const fixedAt = names.indexOf(fixed);
    if (fixedAt < 0) throw new GeometryError("PARAMS", `The fixed take "${fixed}" is not among the takes: ${names.join(", ")}.`);
    const starts = startMotions(params, fixedAt);
    if (!params.fine) {
      return { outputs: { motions: { kind: "motions", motions: Object.fromEntries(names.map((n, i) => [n, starts[i]])) } }, figures: { takes: names.length, fine: false }, findings: [] };
    }
    const prepared = clouds.map((c, i) => prepareCloud(c, stage(context, i / clouds.length * 0.4, (i + 1) / clouds.length * 0.4)));
    return joinPrepared(clouds, prepared, starts, fixedAt, params, stage(context, 0.4, 1));
  },
  describe: (params, figures) => `Joined ${params.names.join(", ")}: 95 of 100 points within ${mm(Number(figures.p95Mm))}, overlap ${percent(Number(figures.overlap), 0)}`
});
function startMotions(params, fixedAt) {
  const { names, picks, initial } = params;
  const base = initial[names[fixedAt]] ? invertRigid(motionFromRows(initial[names[fixedAt]], names[fixedAt])) : identityMotion();
  const motions = names.map((name, i) => i === fixedAt ? identityMotion() : initial[name] ? compose(base, motionFromRows(initial[name], name)) : null);
  for (let round = 0; round < names.length; round++) {
    names.forEach((name, i) => {
      if (motions[i]) return;
      const from = [];
      const to = [];
      for (const { a: a2, b: b2 } of picks) {
        const [mine, other] = a2.take === name ? [a2, b2] : [b2, a2];
        if (mine.take !== name) continue;
        const j = names.indexOf(other.take);
        if (j < 0) throw new GeometryError("PARAMS", `A pick names the take "${other.take}", which is not here: ${names.join(", ")}.`);
        if (!motions[j]) continue;
        from.push(...mine.at);
        to.push(...transformPoints(motions[j], Float32Array.from(other.at)));
      }
      if (from.length > 0) motions[i] = rigidFromPairs(Float64Array.from(from), Float64Array.from(to)).motion;
    });
  }
  const lost = names.filter((_, i) => !motions[i]);
  if (lost.length > 0) {
    throw new GeometryError("PARAMS", `There is no start for ${lost.join(", ")}: pick three points or more that ${lost.length === 1 ? "it shares" : "they share"} with a placed take, or give rough motions.`);
  }
  return motions;
}
function joinPrepared(clouds, prepared, starts, fixedAt, params, context) {
  const { names } = params;
  const order = names.map((_, i) => i).filter((i) => i !== fixedAt);
  const motions = { [names[fixedAt]]: identityMotion() };
  const reports = [];
  let joined = prepared[fixedAt];
  const placed = [{ cloud: clouds[fixedAt], motion: identityMotion() }];
  order.forEach((i, k) => {
    const part = stage(context, k / order.length, (k + 1) / order.length);
    const icp = matchFine(prepared[i], joined, starts[i], {}, stage(part, 0, 0.8));
    motions[names[i]] = icp.motion;
    reports.push({ take: names[i], icp, overlap: measureOverlap(prepared[i], joined, icp.motion) });
    placed.push({ cloud: clouds[i], motion: icp.motion });
    if (k < order.length - 1) joined = prepareCloud(together(placed), stage(part, 0.8, 1));
  });
  const findings = reports.flatMap((r) => judge(r, params.toleranceMm, prepared));
  const main = reports.reduce((a2, b2) => b2.overlap.share < a2.overlap.share ? b2 : a2);
  return {
    outputs: { motions: { kind: "motions", motions } },
    figures: {
      takes: names.length,
      fine: true,
      overlap: main.overlap.share,
      overlapMm2: main.overlap.areaMm2,
      rmsMm: Math.max(...reports.map((r) => r.overlap.rmsMm)),
      p95Mm: Math.max(...reports.map((r) => r.overlap.p95Mm)),
      expectedMm: Math.max(...reports.map((r) => r.overlap.expectedMm)),
      iterations: reports.reduce((n, r) => n + r.icp.iterations, 0),
      stop: reports.map((r) => r.icp.stop).join(", "),
      verdict: worst(findings),
      pairs: JSON.stringify(reports.map((r) => ({
        take: r.take,
        fixed: params.fixed,
        overlap: r.overlap.share,
        overlapMm2: r.overlap.areaMm2,
        rmsMm: r.overlap.rmsMm,
        p95Mm: r.overlap.p95Mm,
        iterations: r.icp.iterations,
        stop: r.icp.stop,
        motion: motionRows(r.icp.motion)
      })))
    },
    findings
  };
}
function together(placed) {
  const total = placed.reduce((n, p) => n + p.cloud.positions.length, 0);
  const positions = new Float32Array(total);
  const normals = new Float32Array(total);
  let complete = true;
  let at = 0;
  for (const { cloud, motion } of placed) {
    transformPoints(motion, cloud.positions, positions.subarray(at, at + cloud.positions.length));
    if (cloud.normals) rotateVectors(motion, cloud.normals, normals.subarray(at, at + cloud.positions.length));
    else complete = false;
    at += cloud.positions.length;
  }
  return { kind: "cloud", positions, ...complete && { normals } };
}
function judge({ take, icp, overlap }, tolerance, prepared) {
  const sigma = Math.max(...prepared.map((p) => p.features.noiseMm));
  const spacing = Math.max(...prepared.map((p) => p.features.spacingMm));
  const allowed = tolerance ?? 3 * sigma + 0.5 * spacing;
  const small = overlap.share < MIN_OVERLAP;
  const none = overlap.share < MIN_OVERLAP / 4 || icp.stop === "no overlap";
  const rough = overlap.rmsMm > allowed;
  const uneasy = overlap.rmsMm > Math.max(1.8 * overlap.expectedMm, 0.25 * spacing);
  return [
    {
      id: "join.overlap",
      verdict: none ? "unsound" : small ? "doubtful" : "sound",
      text: none ? `\u201C${take}\u201D has hardly any surface in common with the rest (${percent(overlap.share, 0)}): this is not a join. Start again from picks.` : small ? `\u201C${take}\u201D shares only ${percent(overlap.share, 0)} of its surface with the rest; under 20 % a join is easily wrong.` : `\u201C${take}\u201D shares ${percent(overlap.share, 0)} of its surface (${(overlap.areaMm2 / 100).toFixed(0)} cm\xB2) with the rest.`,
      figures: [
        { label: "Common surface", value: percent(overlap.share, 0), rule: "share of the smaller take whose nearest point of the other lies within 3 \u03C3 + spacing, normals within 45\xB0", verdict: none ? "unsound" : small ? "doubtful" : "sound" },
        { label: "Common area", value: `${(overlap.areaMm2 / 100).toFixed(0)} cm\xB2` }
      ],
      ...small && { nextMove: "Take one more that sees both sides" }
    },
    {
      id: "join.residual",
      verdict: rough ? "unsound" : uneasy ? "doubtful" : "sound",
      text: rough || uneasy ? `The surfaces of \u201C${take}\u201D stand ${mm(overlap.rmsMm)} apart where they meet, more than the ${mm(overlap.expectedMm)} the points\u2019 own scatter explains. The match may have settled in the wrong place.` : `Where they meet, 95 of 100 points of \u201C${take}\u201D agree within ${mm(overlap.p95Mm)}.`,
      figures: [
        { label: "Residual, root mean square", value: mm(overlap.rmsMm, 3), rule: "point to plane, over the common surface", verdict: rough ? "unsound" : uneasy ? "doubtful" : "sound" },
        { label: "Residual, 95 of 100 within", value: mm(overlap.p95Mm, 3) },
        { label: "Scatter of the points", value: mm(overlap.expectedMm, 3), rule: "local plane residual of both takes, in quadrature" }
      ]
    }
  ];
}

// core/src/operations/skin.ts
import Joi5 from "joi";

// core/src/mesh/weld.ts
function weldIndex(positions) {
  const n = positions.length / 3;
  const bits = new Uint32Array(positions.buffer, positions.byteOffset, positions.length);
  let size2 = 16;
  while (size2 < n * 2) size2 *= 2;
  const table = new Int32Array(size2).fill(-1);
  const remap = new Uint32Array(n);
  const kept = new Uint32Array(n);
  let count = 0;
  for (let i = 0; i < n; i++) {
    const a2 = positions[i * 3] === 0 ? 0 : bits[i * 3];
    const b2 = positions[i * 3 + 1] === 0 ? 0 : bits[i * 3 + 1];
    const c = positions[i * 3 + 2] === 0 ? 0 : bits[i * 3 + 2];
    let h = Math.imul(a2, 2654435761) ^ Math.imul(b2, 2246822519) ^ Math.imul(c, 3266489917);
    h ^= h >>> 15;
    h = Math.imul(h, 739982445);
    h ^= h >>> 13;
    let slot = h & size2 - 1;
    for (; ; ) {
      const known = table[slot];
      if (known < 0) {
        table[slot] = count;
        kept[count] = i;
        remap[i] = count++;
        break;
      }
      const k = kept[known] * 3;
      if (positions[k] === positions[i * 3] && positions[k + 1] === positions[i * 3 + 1] && positions[k + 2] === positions[i * 3 + 2]) {
        remap[i] = known;
        break;
      }
      slot = slot + 1 & size2 - 1;
    }
  }
  return { remap, kept: kept.slice(0, count) };
}
function weldVertices(mesh) {
  const { remap, kept } = weldIndex(mesh.positions);
  if (kept.length === mesh.positions.length / 3) return mesh;
  const { indices } = mesh;
  const out = new Uint32Array(indices.length);
  let m = 0;
  for (let i = 0; i < indices.length; i += 3) {
    const a2 = remap[indices[i]], b2 = remap[indices[i + 1]], c = remap[indices[i + 2]];
    if (a2 === b2 || b2 === c || c === a2) continue;
    out[m++] = a2;
    out[m++] = b2;
    out[m++] = c;
  }
  return { ...selectVertices(mesh, kept), indices: out.slice(0, m) };
}
function selectVertices(mesh, kept) {
  const n = kept.length;
  const pick3 = (from, to) => {
    for (let i = 0; i < n; i++) for (let c = 0; c < 3; c++) to[i * 3 + c] = from[kept[i] * 3 + c];
    return to;
  };
  return {
    ...mesh,
    positions: pick3(mesh.positions, new Float32Array(n * 3)),
    ...mesh.normals && { normals: pick3(mesh.normals, new Float32Array(n * 3)) },
    ...mesh.colours && { colours: pick3(mesh.colours, new Uint8Array(n * 3)) },
    ...mesh.evidence && { evidence: Uint8Array.from(kept, (i) => mesh.evidence[i]) }
  };
}
function dropUnusedVertices(mesh) {
  const n = mesh.positions.length / 3;
  const to = new Int32Array(n).fill(-1);
  const kept = new Uint32Array(n);
  let count = 0;
  const indices = new Uint32Array(mesh.indices.length);
  for (let i = 0; i < indices.length; i++) {
    const v = mesh.indices[i];
    if (to[v] < 0) {
      to[v] = count;
      kept[count++] = v;
    }
    indices[i] = to[v];
  }
  return { ...selectVertices(mesh, kept.slice(0, count)), indices };
}

// core/src/fuse/brick-grid.ts
var BRICK = 8;
var BRICK_NODES = BRICK * BRICK * BRICK;
var ALL_OUTSIDE = -1;
var ALL_INSIDE = -2;
var BrickGrid = class {
  /** @param bricks bricks along x, y, z @throws MEMORY when the table alone would exceed 2²⁸ entries */
  constructor(originMm, spacingMm, bricks) {
    this.originMm = originMm;
    this.spacingMm = spacingMm;
    this.bricks = bricks;
    const size2 = bricks[0] * bricks[1] * bricks[2];
    if (!(size2 < 2 ** 28)) {
      throw new GeometryError("MEMORY", `A grid of ${bricks.map((b2) => b2 * BRICK).join(" \xD7 ")} nodes is more than this machine can hold.`);
    }
    this.table = new Int32Array(size2).fill(ALL_OUTSIDE);
  }
  originMm;
  spacingMm;
  bricks;
  table;
  /** Brick coordinates of each slot. */
  slotBrick = [];
  get slotCount() {
    return this.slotBrick.length;
  }
  brickIndex(bx, by, bz) {
    return (bz * this.bricks[1] + by) * this.bricks[0] + bx;
  }
  /** Slot of a brick, made when absent. */
  ensure(brick) {
    const slot = this.table[brick];
    if (slot >= 0) return slot;
    this.table[brick] = this.slotBrick.length;
    this.slotBrick.push(brick);
    return this.slotBrick.length - 1;
  }
  brickCoordinates(brick) {
    const [nx, ny] = this.bricks;
    return [brick % nx, Math.floor(brick / nx) % ny, Math.floor(brick / (nx * ny))];
  }
  /** Slot or sign at brick coordinates; outside the grid is outside the piece. */
  at(bx, by, bz) {
    const [nx, ny, nz] = this.bricks;
    if (bx < 0 || by < 0 || bz < 0 || bx >= nx || by >= ny || bz >= nz) return ALL_OUTSIDE;
    return this.table[this.brickIndex(bx, by, bz)];
  }
};
function gatherHalo(grid, values, bx, by, bz, low, high, farValue, out) {
  const edge = BRICK + low + high;
  for (let dz = low > 0 ? -1 : 0; dz <= (high > 0 ? 1 : 0); dz++) {
    const z0 = dz < 0 ? BRICK - low : 0;
    const z1 = dz > 0 ? high : BRICK;
    for (let dy = low > 0 ? -1 : 0; dy <= (high > 0 ? 1 : 0); dy++) {
      const y0 = dy < 0 ? BRICK - low : 0;
      const y1 = dy > 0 ? high : BRICK;
      for (let dx = low > 0 ? -1 : 0; dx <= (high > 0 ? 1 : 0); dx++) {
        const x0 = dx < 0 ? BRICK - low : 0;
        const x1 = dx > 0 ? high : BRICK;
        const slot = grid.at(bx + dx, by + dy, bz + dz);
        const base = slot * BRICK_NODES;
        const far = slot === ALL_INSIDE ? -farValue : farValue;
        for (let z = z0; z < z1; z++) {
          for (let y = y0; y < y1; y++) {
            let to = ((dz * BRICK + z + low) * edge + dy * BRICK + y + low) * edge + dx * BRICK + x0 + low;
            if (slot < 0) for (let x = x0; x < x1; x++) out[to++] = far;
            else {
              let from = base + (z * BRICK + y) * BRICK + x0;
              for (let x = x0; x < x1; x++) out[to++] = values[from++];
            }
          }
        }
      }
    }
  }
}

// core/src/fuse/evidence.ts
var MEASURED_WEIGHT = 0.12;
var CARRIED_RINGS = 4;
function evidenceOf(contour, grid, splatSlots, weight, threshold, usual) {
  const n = contour.positions.length / 3;
  const evidence = new Uint8Array(n).fill(EVIDENCE.invented);
  const enough = Math.max(threshold, usual * MEASURED_WEIGHT);
  const nx = grid.bricks[0] * BRICK, ny = grid.bricks[1] * BRICK;
  const weightAt = (node) => {
    const x = node % nx, y = Math.floor(node / nx) % ny, z = Math.floor(node / (nx * ny));
    const slot = grid.at(x >> 3, y >> 3, z >> 3);
    return slot >= 0 && slot < splatSlots ? weight[slot * BRICK_NODES + ((z & 7) * BRICK + (y & 7)) * BRICK + (x & 7)] : 0;
  };
  for (let v = 0; v < n; v++) if (Math.max(weightAt(contour.nodeA[v]), weightAt(contour.nodeB[v])) >= enough) evidence[v] = EVIDENCE.measured;
  const ring = new Uint8Array(n);
  for (let r = 1; r <= CARRIED_RINGS; r++) {
    for (let i = 0; i < contour.indices.length; i += 3) {
      const corners = [contour.indices[i], contour.indices[i + 1], contour.indices[i + 2]];
      if (!corners.some((v) => r === 1 ? evidence[v] === EVIDENCE.measured : ring[v] === r - 1)) continue;
      for (const v of corners) if (evidence[v] === EVIDENCE.invented && ring[v] === 0) ring[v] = r;
    }
  }
  for (let v = 0; v < n; v++) if (ring[v]) evidence[v] = EVIDENCE.carried;
  return evidence;
}
function withoutInvented(mesh) {
  const { evidence, indices } = mesh;
  if (!evidence) return mesh;
  const kept = new Uint32Array(indices.length);
  let m = 0;
  for (let i = 0; i < indices.length; i += 3) {
    if ([0, 1, 2].some((c) => evidence[indices[i + c]] === EVIDENCE.invented)) continue;
    kept[m++] = indices[i];
    kept[m++] = indices[i + 1];
    kept[m++] = indices[i + 2];
  }
  return dropUnusedVertices({ ...mesh, indices: kept.slice(0, m) });
}
function evidenceShares(mesh) {
  const area = [0, 0, 0];
  const { positions: p, indices, evidence } = mesh;
  for (let i = 0; i < indices.length; i += 3) {
    const a2 = indices[i] * 3, b2 = indices[i + 1] * 3, c = indices[i + 2] * 3;
    const ux = p[b2] - p[a2], uy = p[b2 + 1] - p[a2 + 1], uz = p[b2 + 2] - p[a2 + 2];
    const vx = p[c] - p[a2], vy = p[c + 1] - p[a2 + 1], vz = p[c + 2] - p[a2 + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
    const worst2 = evidence ? Math.max(evidence[a2 / 3], evidence[b2 / 3], evidence[c / 3]) : EVIDENCE.measured;
    area[worst2] += Math.sqrt(x * x + y * y + z * z) / 2;
  }
  const total = area[0] + area[1] + area[2] || 1;
  return { measured: area[0] / total, carried: area[1] / total, invented: area[2] / total };
}

// core/src/fuse/predict.ts
var BYTES_PER_NODE = 22;
function predictFaces(areaMm2, spacingMm) {
  return 8.97 * areaMm2 / (spacingMm * spacingMm);
}
function predictBytes(areaMm2, spacingMm) {
  const bricks = areaMm2 / (spacingMm * BRICK) ** 2 * 2.4;
  return bricks * BRICK_NODES * BYTES_PER_NODE + predictFaces(areaMm2, spacingMm) * 90;
}

// core/src/mesh/components.ts
function meshComponents(mesh) {
  const { indices } = mesh;
  const sets = new UnionFind(mesh.positions.length / 3);
  for (let i = 0; i < indices.length; i += 3) {
    sets.union(indices[i], indices[i + 1]);
    sets.union(indices[i], indices[i + 2]);
  }
  const { label, sizes } = sets.labels();
  const faces = new Array(sizes.length).fill(0);
  for (let i = 0; i < indices.length; i += 3) faces[label[indices[i]]]++;
  return { label, count: faces.filter((f) => f > 0).length, faces };
}
function keepLargestComponent(mesh) {
  const { label, count, faces } = meshComponents(mesh);
  if (count <= 1) return { mesh, dropped: 0 };
  let best = 0;
  for (let i = 1; i < faces.length; i++) if (faces[i] > faces[best]) best = i;
  const kept = new Uint32Array(mesh.indices.length);
  let m = 0;
  for (let i = 0; i < mesh.indices.length; i += 3) {
    if (label[mesh.indices[i]] !== best) continue;
    kept[m++] = mesh.indices[i];
    kept[m++] = mesh.indices[i + 1];
    kept[m++] = mesh.indices[i + 2];
  }
  return { mesh: dropUnusedVertices({ ...mesh, indices: kept.slice(0, m) }), dropped: count - 1 };
}

// core/src/fuse/carve.ts
var MAX_PIXELS = 1024;
function depthMap(view) {
  const { points, origin } = view;
  const n = points.length / 3;
  if (n < 50) return null;
  let cx = 0, cy = 0, cz = 0;
  for (let i = 0; i < points.length; i += 3) {
    cx += points[i] / n;
    cy += points[i + 1] / n;
    cz += points[i + 2] / n;
  }
  const axis = unit(cx - origin[0], cy - origin[1], cz - origin[2]);
  const helper = Math.abs(axis[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0];
  const right = unit(...cross(axis, helper));
  const up = cross(right, axis);
  const u = new Float32Array(n), v = new Float32Array(n), d = new Float32Array(n);
  let minU = Infinity, maxU = -Infinity, minV = Infinity, maxV = -Infinity;
  for (let i = 0; i < n; i++) {
    const x = points[i * 3] - origin[0], y = points[i * 3 + 1] - origin[1], z = points[i * 3 + 2] - origin[2];
    const depth2 = x * axis[0] + y * axis[1] + z * axis[2];
    if (depth2 <= 0) return null;
    d[i] = depth2;
    u[i] = (x * right[0] + y * right[1] + z * right[2]) / depth2;
    v[i] = (x * up[0] + y * up[1] + z * up[2]) / depth2;
    minU = Math.min(minU, u[i]);
    maxU = Math.max(maxU, u[i]);
    minV = Math.min(minV, v[i]);
    maxV = Math.max(maxV, v[i]);
  }
  const pixel = Math.max(Math.sqrt((maxU - minU) * (maxV - minV) / n) * 1.5, (maxU - minU) / MAX_PIXELS, (maxV - minV) / MAX_PIXELS, 1e-9);
  const width = Math.floor((maxU - minU) / pixel) + 1;
  const height = Math.floor((maxV - minV) / pixel) + 1;
  const near = new Float32Array(width * height);
  for (let i = 0; i < n; i++) {
    const at = Math.floor((v[i] - minV) / pixel) * width + Math.floor((u[i] - minU) / pixel);
    if (near[at] === 0 || d[i] < near[at]) near[at] = d[i];
  }
  const depth = new Float32Array(width * height);
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      let seen = 0;
      let least = Infinity;
      for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) {
        const f = near[(y + dy) * width + x + dx];
        if (f > 0) {
          seen++;
          if (f < least) least = f;
        }
      }
      if (seen >= 7) depth[y * width + x] = least;
    }
  }
  return { origin, axis, right, up, width, height, scale: 1 / pixel, left: minU, bottom: minV, depth };
}
function unit(x, y, z) {
  const l = Math.sqrt(x * x + y * y + z * z) || 1;
  return [x / l, y / l, z / l];
}
function cross(a2, b2) {
  return [a2[1] * b2[2] - a2[2] * b2[1], a2[2] * b2[0] - a2[0] * b2[2], a2[0] * b2[1] - a2[1] * b2[0]];
}
function carveFreeSpace(views, marginMm, candidates, place, mark, context) {
  const maps = views.map(depthMap).filter((m) => m !== null);
  const p = new Float64Array(3);
  let free = 0;
  for (let c = 0; c < candidates.length; c++) {
    if ((c & 16383) === 0) checkpoint(context, c, candidates.length, "Reading free space from the views");
    const node = candidates[c];
    place(node, p);
    for (const m of maps) {
      const x = p[0] - m.origin[0], y = p[1] - m.origin[1], z = p[2] - m.origin[2];
      const depth = x * m.axis[0] + y * m.axis[1] + z * m.axis[2];
      if (depth <= 0) continue;
      const u = Math.floor(((x * m.right[0] + y * m.right[1] + z * m.right[2]) / depth - m.left) * m.scale);
      const v = Math.floor(((x * m.up[0] + y * m.up[1] + z * m.up[2]) / depth - m.bottom) * m.scale);
      if (u < 0 || v < 0 || u >= m.width || v >= m.height) continue;
      const seen = m.depth[v * m.width + u];
      if (seen > 0 && depth < seen - marginMm) {
        mark(node);
        free++;
        break;
      }
    }
  }
  return free;
}

// core/src/fuse/contour.ts
var CLAMP = 0.04;
var KUHN = [
  [1, 3, true],
  [1, 5, false],
  [2, 3, false],
  [2, 6, true],
  [4, 5, true],
  [4, 6, false]
];
var Grow = class {
  constructor(data, make) {
    this.data = data;
    this.make = make;
  }
  data;
  make;
  length = 0;
  reserve(extra) {
    if (this.length + extra <= this.data.length) return;
    const bigger = this.make(Math.max(this.data.length * 2, this.length + extra));
    bigger.set(this.data);
    this.data = bigger;
  }
};
var EdgeMap = class {
  keys = new Float64Array(1 << 16).fill(-1);
  values = new Int32Array(1 << 16);
  used = 0;
  /** The vertex of the edge, or −1 after reserving it for `fresh`. */
  getOrSet(key, fresh) {
    if (this.used * 2 > this.keys.length) this.grow();
    const slot = this.slot(key);
    if (this.keys[slot] === key) return this.values[slot];
    this.keys[slot] = key;
    this.values[slot] = fresh;
    this.used++;
    return -1;
  }
  slot(key) {
    const mask = this.keys.length - 1;
    const high = Math.floor(key / 4294967296);
    let h = Math.imul(key >>> 0 ^ Math.imul(high, 2246822507), 2654435761);
    h ^= h >>> 15;
    let slot = h & mask;
    while (this.keys[slot] !== -1 && this.keys[slot] !== key) slot = slot + 1 & mask;
    return slot;
  }
  grow() {
    const keys = this.keys;
    const values = this.values;
    this.keys = new Float64Array(keys.length * 2).fill(-1);
    this.values = new Int32Array(keys.length * 2);
    for (let i = 0; i < keys.length; i++) {
      if (keys[i] === -1) continue;
      const slot = this.slot(keys[i]);
      this.keys[slot] = keys[i];
      this.values[slot] = values[i];
    }
  }
};
function contourBricks(grid, values, farValue, context) {
  const edge = BRICK + 1;
  const halo = new Float32Array(edge * edge * edge);
  const [nbx, nby, nbz] = grid.bricks;
  const nx = nbx * BRICK;
  const ny = nby * BRICK;
  const h = grid.spacingMm;
  const [ox, oy, oz] = grid.originMm;
  const map = new EdgeMap();
  const positions = new Grow(new Float32Array(3 << 16), (n) => new Float32Array(n));
  const indices = new Grow(new Uint32Array(6 << 16), (n) => new Uint32Array(n));
  const nodeA = new Grow(new Float64Array(1 << 16), (n) => new Float64Array(n));
  const nodeB = new Grow(new Float64Array(1 << 16), (n) => new Float64Array(n));
  const cornerValue = new Float64Array(8);
  const cornerOffset = [0, 1, edge, edge + 1, edge * edge, edge * edge + 1, edge * edge + edge, edge * edge + edge + 1];
  let cx = 0, cy = 0, cz = 0;
  const vertex = (a2, b2) => {
    const low = a2 < b2 ? a2 : b2;
    const high = a2 < b2 ? b2 : a2;
    const ax = cx + (low & 1), ay = cy + (low >> 1 & 1), az = cz + (low >> 2);
    const node = (az * ny + ay) * nx + ax;
    const fresh = nodeA.length;
    const known = map.getOrSet(node * 7 + (high - low) - 1, fresh);
    if (known >= 0) return known;
    const fa = cornerValue[low];
    const fb = cornerValue[high];
    let t = fa / (fa - fb);
    if (!(t > CLAMP)) t = CLAMP;
    else if (t > 1 - CLAMP) t = 1 - CLAMP;
    const d = high - low;
    const ex = d & 1, ey = d >> 1 & 1, ez = d >> 2;
    positions.reserve(3);
    positions.data[positions.length++] = ox + h * (ax + t * ex);
    positions.data[positions.length++] = oy + h * (ay + t * ey);
    positions.data[positions.length++] = oz + h * (az + t * ez);
    nodeA.reserve(1);
    nodeB.reserve(1);
    nodeA.data[nodeA.length++] = node;
    nodeB.data[nodeB.length++] = ((az + ez) * ny + ay + ey) * nx + ax + ex;
    return fresh;
  };
  const triangle = (a2, b2, c, turned) => {
    indices.reserve(3);
    indices.data[indices.length++] = a2;
    indices.data[indices.length++] = turned ? c : b2;
    indices.data[indices.length++] = turned ? b2 : c;
  };
  const tetrahedron = (p, q, r, s, even) => {
    const code = (cornerValue[p] < 0 ? 1 : 0) | (cornerValue[q] < 0 ? 2 : 0) | (cornerValue[r] < 0 ? 4 : 0) | (cornerValue[s] < 0 ? 8 : 0);
    switch (code) {
      case 0:
      case 15:
        return;
      // One inside corner: the triangle looks away from it. `turned` follows from the parity of moving it to the front.
      case 1:
        return triangle(vertex(p, q), vertex(p, r), vertex(p, s), !even);
      case 14:
        return triangle(vertex(p, q), vertex(p, r), vertex(p, s), even);
      case 2:
        return triangle(vertex(q, p), vertex(q, r), vertex(q, s), even);
      case 13:
        return triangle(vertex(q, p), vertex(q, r), vertex(q, s), !even);
      case 4:
        return triangle(vertex(r, p), vertex(r, q), vertex(r, s), !even);
      case 11:
        return triangle(vertex(r, p), vertex(r, q), vertex(r, s), even);
      case 8:
        return triangle(vertex(s, p), vertex(s, q), vertex(s, r), even);
      case 7:
        return triangle(vertex(s, p), vertex(s, q), vertex(s, r), !even);
      // Two and two: a quad a-c, a-d, b-d, b-c for inside pair (a, b) and outside pair (c, d).
      case 3:
        return quad(p, q, r, s, even);
      case 12:
        return quad(r, s, p, q, even);
      case 5:
        return quad(p, r, q, s, !even);
      case 10:
        return quad(q, s, p, r, !even);
      case 9:
        return quad(p, s, q, r, even);
      case 6:
        return quad(q, r, p, s, even);
    }
  };
  const quad = (a2, b2, c, d, even) => {
    const v0 = vertex(a2, c), v1 = vertex(a2, d), v2 = vertex(b2, d), v3 = vertex(b2, c);
    triangle(v0, v1, v2, !even);
    triangle(v0, v2, v3, !even);
  };
  let done = 0;
  for (let bz = -1; bz < nbz; bz++) {
    checkpoint(context, ++done, nbz + 1, "Drawing the skin");
    for (let by = -1; by < nby; by++) {
      for (let bx = -1; bx < nbx; bx++) {
        let present = false;
        let signs = 0;
        for (let c = 0; c < 8; c++) {
          const slot = grid.at(bx + (c & 1), by + (c >> 1 & 1), bz + (c >> 2));
          if (slot >= 0) present = true;
          else signs |= slot === ALL_INSIDE ? 1 : 2;
        }
        if (!present && signs !== 3) continue;
        gatherHalo(grid, values, bx, by, bz, 0, 1, farValue, halo);
        for (let z = 0; z < BRICK; z++) {
          for (let y = 0; y < BRICK; y++) {
            let at = (z * edge + y) * edge;
            for (let x = 0; x < BRICK; x++, at++) {
              const inside = halo[at] < 0;
              if (halo[at + 1] < 0 === inside && halo[at + edge] < 0 === inside && halo[at + edge + 1] < 0 === inside && halo[at + cornerOffset[4]] < 0 === inside && halo[at + cornerOffset[5]] < 0 === inside && halo[at + cornerOffset[6]] < 0 === inside && halo[at + cornerOffset[7]] < 0 === inside) continue;
              for (let c = 0; c < 8; c++) cornerValue[c] = halo[at + cornerOffset[c]];
              cx = bx * BRICK + x;
              cy = by * BRICK + y;
              cz = bz * BRICK + z;
              for (const [q, r, even] of KUHN) tetrahedron(0, q, r, 7, even);
            }
          }
        }
      }
    }
  }
  return {
    positions: positions.data.slice(0, positions.length),
    indices: indices.data.slice(0, indices.length),
    nodeA: nodeA.data.slice(0, nodeA.length),
    nodeB: nodeB.data.slice(0, nodeB.length)
  };
}

// core/src/fuse/membrane.ts
var SWEEPS = 24;
var OVER_RELAXATION = 1.6;
var SMALLEST = 6;
function solveMembrane(field, context) {
  const [nx, ny, nz] = field.size;
  if (Math.min(nx, ny, nz) > SMALLEST) {
    const coarse = restrict(field);
    solveMembrane(coarse, context);
    prolong(coarse, field);
  } else for (let i = 0; i < field.values.length; i++) if (!field.known[i]) field.values[i] = 0;
  checkpoint(context, nx, nx, "Closing the gaps");
  relax(field, SWEEPS);
}
function restrict(fine) {
  const [nx, ny, nz] = fine.size;
  const size2 = [nx, ny, nz].map((n) => Math.floor((n - 1) / 2) + 2);
  const [cx, cy, cz] = size2;
  const values = new Float32Array(cx * cy * cz);
  const known = new Uint8Array(cx * cy * cz);
  for (let z = 0; z < cz; z++) for (let y = 0; y < cy; y++) for (let x = 0; x < cx; x++) {
    let sum = 0;
    let count = 0;
    for (let dz = -1; dz <= 1; dz++) for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) {
      const fx = Math.min(nx - 1, Math.max(0, 2 * x + dx)), fy = Math.min(ny - 1, Math.max(0, 2 * y + dy)), fz = Math.min(nz - 1, Math.max(0, 2 * z + dz));
      const at2 = (fz * ny + fy) * nx + fx;
      if (!fine.known[at2]) continue;
      const w = (2 - Math.abs(dx)) * (2 - Math.abs(dy)) * (2 - Math.abs(dz));
      sum += w * fine.values[at2];
      count += w;
    }
    const at = (z * cy + y) * cx + x;
    const rim = x === 0 || y === 0 || z === 0 || x === cx - 1 || y === cy - 1 || z === cz - 1;
    if (count > 0) values[at] = sum / count;
    known[at] = count > 0 || rim ? 1 : 0;
  }
  return { size: size2, values, known };
}
function prolong(coarse, fine) {
  const [nx, ny, nz] = fine.size;
  for (let z = 0; z < nz; z++) for (let y = 0; y < ny; y++) for (let x = 0; x < nx; x++) {
    const at = (z * ny + y) * nx + x;
    if (!fine.known[at]) fine.values[at] = sampleField(coarse, x / 2, y / 2, z / 2);
  }
}
function sampleField(field, x, y, z) {
  const [nx, ny, nz] = field.size;
  const ix = Math.min(nx - 2, Math.max(0, Math.floor(x))), iy = Math.min(ny - 2, Math.max(0, Math.floor(y))), iz = Math.min(nz - 2, Math.max(0, Math.floor(z)));
  const fx = x - ix, fy = y - iy, fz = z - iz;
  const v = field.values;
  const at = (iz * ny + iy) * nx + ix;
  const up = at + ny * nx;
  const a2 = v[at] + fx * (v[at + 1] - v[at]);
  const b2 = v[at + nx] + fx * (v[at + nx + 1] - v[at + nx]);
  const c = v[up] + fx * (v[up + 1] - v[up]);
  const d = v[up + nx] + fx * (v[up + nx + 1] - v[up + nx]);
  const low = a2 + fy * (b2 - a2);
  return low + fz * (c + fy * (d - c) - low);
}
function relax(field, sweeps) {
  const [nx, ny, nz] = field.size;
  const { values, known } = field;
  const sy = nx;
  const sz = nx * ny;
  for (let s = 0; s < sweeps; s++) {
    for (let z = 1; z < nz - 1; z++) for (let y = 1; y < ny - 1; y++) {
      let at = (z * ny + y) * nx + 1;
      for (let x = 1; x < nx - 1; x++, at++) {
        if (known[at]) continue;
        const mean = (values[at - 1] + values[at + 1] + values[at - sy] + values[at + sy] + values[at - sz] + values[at + sz]) / 6;
        values[at] += OVER_RELAXATION * (mean - values[at]);
      }
    }
  }
}

// core/src/fuse/points.ts
var MIN_INCIDENCE = 0.1;
function gatherPoints(takes2) {
  const total = takes2.reduce((n, t) => n + t.cloud.positions.length, 0);
  const positions = new Float32Array(total);
  const normals = new Float32Array(total);
  const weights = new Float32Array(total / 3).fill(1);
  const views = [];
  let at = 0;
  for (const { cloud, motion } of takes2) {
    if (!cloud.normals) throw new GeometryError("SHAPE", "A skin needs to know which way each point faces; this take has no normals.");
    const p = positions.subarray(at, at + cloud.positions.length);
    const n = normals.subarray(at, at + cloud.positions.length);
    transformPoints(motion, cloud.positions, p);
    rotateVectors(motion, cloud.normals, n);
    if (cloud.frame && cloud.frameOrigins) {
      const origins = cloud.frameOrigins;
      const moved = Array.from({ length: origins.length / 3 }, (_, f) => transformPoint(motion, origins[f * 3], origins[f * 3 + 1], origins[f * 3 + 2]));
      weigh(p, n, cloud.frame, moved, weights.subarray(at / 3, (at + p.length) / 3));
      views.push(...splitByFrame(p, cloud.frame, moved));
    }
    at += cloud.positions.length;
  }
  return { positions, normals, weights, views };
}
function weigh(p, n, frame, origins, out) {
  const ranges = new Float32Array(out.length);
  for (let i = 0; i < out.length; i++) {
    const o = origins[frame[i]];
    const x = o[0] - p[i * 3], y = o[1] - p[i * 3 + 1], z = o[2] - p[i * 3 + 2];
    const range = Math.sqrt(x * x + y * y + z * z);
    ranges[i] = range;
    out[i] = Math.max(MIN_INCIDENCE, (x * n[i * 3] + y * n[i * 3 + 1] + z * n[i * 3 + 2]) / range);
  }
  const usual = ranges.slice().sort()[ranges.length >> 1];
  for (let i = 0; i < out.length; i++) out[i] *= (usual / ranges[i]) ** 4;
}
function splitByFrame(p, frame, origins) {
  const counts = new Int32Array(origins.length);
  for (const f of frame) counts[f]++;
  const points = origins.map((_, f) => new Float32Array(counts[f] * 3));
  const at = new Int32Array(origins.length);
  for (let i = 0; i < frame.length; i++) {
    const f = frame[i];
    points[f].set(p.subarray(i * 3, i * 3 + 3), at[f]);
    at[f] += 3;
  }
  return points.map((q, f) => ({ origin: origins[f], points: q })).filter((v) => v.points.length > 0);
}

// core/src/fuse/splat.ts
function markBricks(grid, points, radiusMm, context) {
  const { positions } = points;
  const inverse = 1 / (grid.spacingMm * BRICK);
  const [ox, oy, oz] = grid.originMm;
  const reach = radiusMm;
  for (let i = 0; i < positions.length; i += 3) {
    if ((i & 65535) === 0) checkpoint(context, i, positions.length, "Laying the grid");
    const x0 = Math.floor((positions[i] - reach - ox) * inverse), x1 = Math.floor((positions[i] + reach - ox) * inverse);
    const y0 = Math.floor((positions[i + 1] - reach - oy) * inverse), y1 = Math.floor((positions[i + 1] + reach - oy) * inverse);
    const z0 = Math.floor((positions[i + 2] - reach - oz) * inverse), z1 = Math.floor((positions[i + 2] + reach - oz) * inverse);
    for (let z = z0; z <= z1; z++) for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) grid.ensure(grid.brickIndex(x, y, z));
  }
  return grid.slotCount;
}
function splatPlanes(grid, points, radiusMm, context) {
  const nodes = grid.slotCount * BRICK_NODES;
  const field = new Float32Array(nodes);
  const weight = new Float32Array(nodes);
  const { positions, normals, weights } = points;
  const h = grid.spacingMm;
  const [ox, oy, oz] = grid.originMm;
  const r2 = radiusMm * radiusMm;
  const inverseR2 = 1 / r2;
  for (let i = 0, w = 0; i < positions.length; i += 3, w++) {
    if ((w & 8191) === 0) checkpoint(context, i, positions.length, "Fusing the takes");
    const px = positions[i] - ox, py = positions[i + 1] - oy, pz = positions[i + 2] - oz;
    const nx = normals[i], ny = normals[i + 1], nz = normals[i + 2];
    const own = weights[w];
    const x0 = Math.ceil((px - radiusMm) / h), x1 = Math.floor((px + radiusMm) / h);
    const y0 = Math.ceil((py - radiusMm) / h), y1 = Math.floor((py + radiusMm) / h);
    const z0 = Math.ceil((pz - radiusMm) / h), z1 = Math.floor((pz + radiusMm) / h);
    for (let bz = z0 >> 3; bz <= z1 >> 3; bz++) {
      const za = Math.max(z0, bz * BRICK), zb = Math.min(z1, bz * BRICK + BRICK - 1);
      for (let by = y0 >> 3; by <= y1 >> 3; by++) {
        const ya = Math.max(y0, by * BRICK), yb = Math.min(y1, by * BRICK + BRICK - 1);
        for (let bx = x0 >> 3; bx <= x1 >> 3; bx++) {
          const xa = Math.max(x0, bx * BRICK), xb = Math.min(x1, bx * BRICK + BRICK - 1);
          const base = grid.table[grid.brickIndex(bx, by, bz)] * BRICK_NODES;
          for (let z = za; z <= zb; z++) {
            const dz = z * h - pz;
            for (let y = ya; y <= yb; y++) {
              const dy = y * h - py;
              const rest = r2 - dz * dz - dy * dy;
              if (rest <= 0) continue;
              const row = base + ((z & 7) * BRICK + (y & 7)) * BRICK;
              const plane = ny * dy + nz * dz;
              for (let x = xa; x <= xb; x++) {
                const dx = x * h - px;
                let k = (rest - dx * dx) * inverseR2;
                if (k <= 0) continue;
                k *= k;
                k *= k * own;
                const at = row + (x & 7);
                field[at] += k * (nx * dx + plane);
                weight[at] += k;
              }
            }
          }
        }
      }
    }
  }
  return { field, weight };
}

// core/src/fuse/skin.ts
var SKIN_DEFAULTS = { closed: true, allParts: false, maxBytes: 2 * 2 ** 30 };
var KERNEL = 2.3;
var KERNEL_POINTS = 2.2;
var MIN_WEIGHT = 0.04;
var MAX_COARSE_NODES = 15e5;
var FINE_SWEEPS = 14;
function makeSkin(takes2, options, context) {
  const h = options.spacingMm;
  if (!(h > 0) || !Number.isFinite(h)) throw new GeometryError("PARAMS", `The spacing must be larger than 0 mm, not ${h}.`);
  const points = gatherPoints(takes2);
  if (points.positions.length < 300) throw new GeometryError("EMPTY", `A skin needs at least 100 points; there are ${points.positions.length / 3}.`);
  const pointSpacing = typicalSpacing(points);
  const radius = Math.max(KERNEL * h, KERNEL_POINTS * pointSpacing);
  const grid = layGrid(points, h, radius, options.maxBytes ?? SKIN_DEFAULTS.maxBytes, stage(context, 0, 0.06));
  const splat = splatPlanes(grid, points, radius, stage(context, 0.06, 0.3));
  const usual = usualWeight(splat.field, splat.weight, h);
  const threshold = usual * MIN_WEIGHT;
  const coarse = coarseField(grid, splat.field, splat.weight, threshold, points, stage(context, 0.3, 0.6));
  const splatSlots = grid.slotCount;
  activateCrossings(grid, coarse);
  const values = fineField(grid, splatSlots, splat.field, splat.weight, threshold, coarse, stage(context, 0.6, 0.75));
  const contour = contourBricks(grid, values, 2 * h, stage(context, 0.75, 0.92));
  if (contour.indices.length === 0) throw new GeometryError("EMPTY", "No surface came out: the points do not enclose anything at this spacing.");
  checkpoint(context, 0.93, 1, "Marking what was measured");
  const evidence = evidenceOf(contour, grid, splatSlots, splat.weight, threshold, usual);
  const whole = { kind: "mesh", positions: contour.positions, indices: contour.indices, evidence };
  const { mesh, dropped } = options.allParts ? { mesh: whole, dropped: 0 } : keepLargestComponent(whole);
  return {
    mesh: options.closed === false ? withoutInvented(mesh) : mesh,
    pointSpacingMm: pointSpacing,
    bricks: grid.slotCount,
    partsDropped: dropped
  };
}
function typicalSpacing(points) {
  const tree = new KdTree(points.positions);
  const ids = new Int32Array(7);
  const d2 = new Float64Array(7);
  const n = points.positions.length / 3;
  const found = [];
  for (let o = 0; o < n; o += Math.max(1, Math.floor(n / 3e3))) {
    const i = tree.ids[o] * 3;
    const k = tree.knn(points.positions[i], points.positions[i + 1], points.positions[i + 2], 7, ids, d2);
    found.push(Math.sqrt(d2[k - 1] / 2));
  }
  return median(found);
}
function layGrid(points, h, radius, maxBytes, context) {
  const { min, max } = boundsOf(points.positions);
  const pad = radius + 6 * h;
  const extent = [0, 1, 2].map((c) => max[c] - min[c] + 2 * pad);
  const bricks = extent.map((e) => Math.ceil(e / (h * BRICK)) + 2);
  const refuse = (need2, limit) => {
    const smallest = h * Math.sqrt(need2 / limit) * 1.02;
    const digits = 10 ** Math.floor(Math.log10(smallest) - 1);
    throw new GeometryError(
      "MEMORY",
      `A spacing of ${h} mm needs about ${gigabytes(need2)} GB of memory; ${gigabytes(limit)} GB are there for it. The smallest that fits is ${Number((Math.ceil(smallest / digits) * digits).toPrecision(3))} mm.`
    );
  };
  const tableBytes = bricks[0] * bricks[1] * bricks[2] * 4;
  if (!(tableBytes < maxBytes / 2)) refuse(tableBytes * 2 * maxBytes / (maxBytes / 2) / 2, maxBytes);
  const grid = new BrickGrid([min[0] - pad, min[1] - pad, min[2] - pad], h, bricks);
  const slots = markBricks(grid, points, radius, context);
  const need = slots * BRICK_NODES * BYTES_PER_NODE + tableBytes + points.positions.length * 30;
  if (need > maxBytes) refuse(need, maxBytes);
  return grid;
}
var gigabytes = (bytes) => (bytes / 2 ** 30).toFixed(bytes < 10 * 2 ** 30 ? 1 : 0);
function usualWeight(field, weight, h) {
  const found = [];
  const step = Math.max(1, Math.floor(weight.length / 4e5));
  for (let i = 0; i < weight.length; i += step) if (weight[i] > 0 && Math.abs(field[i] / weight[i]) < h / 2) found.push(weight[i]);
  return median(found);
}
function coarseField(grid, field, weight, threshold, points, context) {
  const nodes = grid.bricks.map((b2) => b2 * BRICK);
  let factor = 2;
  const sizeFor = (f) => nodes.map((n) => Math.ceil(n / f) + 1);
  while (sizeFor(factor).reduce((a2, b2) => a2 * b2, 1) > MAX_COARSE_NODES) factor *= 2;
  const size2 = sizeFor(factor);
  const [nx, ny, nz] = size2;
  const values = new Float32Array(nx * ny * nz);
  const count = new Float32Array(nx * ny * nz);
  const known = new Uint8Array(nx * ny * nz);
  const half = factor >> 1;
  grid.slotBrick.forEach((brick, slot) => {
    const [bx, by, bz] = grid.brickCoordinates(brick);
    let at = slot * BRICK_NODES;
    for (let z = 0; z < BRICK; z++) for (let y = 0; y < BRICK; y++) for (let x = 0; x < BRICK; x++, at++) {
      const w = weight[at];
      if (w < threshold) continue;
      const c = (Math.floor((bz * BRICK + z + half) / factor) * ny + Math.floor((by * BRICK + y + half) / factor)) * nx + Math.floor((bx * BRICK + x + half) / factor);
      values[c] += field[at] / w;
      count[c]++;
    }
  });
  const coarseSpacing = grid.spacingMm * factor;
  const unknown = [];
  for (let z = 0, at = 0; z < nz; z++) for (let y = 0; y < ny; y++) for (let x = 0; x < nx; x++, at++) {
    if (x === 0 || y === 0 || z === 0 || x === nx - 1 || y === ny - 1 || z === nz - 1) {
      values[at] = coarseSpacing;
      known[at] = 1;
    } else if (count[at] > 0) {
      values[at] /= count[at];
      known[at] = 1;
    } else unknown.push(at);
  }
  const [ox, oy, oz] = grid.originMm;
  const place = (node, out) => {
    out[0] = ox + coarseSpacing * (node % nx);
    out[1] = oy + coarseSpacing * (Math.floor(node / nx) % ny);
    out[2] = oz + coarseSpacing * Math.floor(node / (nx * ny));
  };
  carveFreeSpace(points.views, 2 * coarseSpacing, Int32Array.from(unknown), place, (node) => {
    values[node] = coarseSpacing;
    known[node] = 1;
  }, stage(context, 0, 0.7));
  const dense = { size: size2, values, known, factor };
  solveMembrane(dense, stage(context, 0.7, 1));
  return dense;
}
function activateCrossings(grid, coarse) {
  const { factor } = coarse;
  const [nx, ny, nz] = coarse.size;
  for (let brick = 0; brick < grid.table.length; brick++) {
    if (grid.table[brick] >= 0) continue;
    const [bx, by, bz] = grid.brickCoordinates(brick);
    const low = [bx, by, bz].map((b2) => Math.floor((b2 * BRICK - 1) / factor));
    const high = [bx, by, bz].map((b2) => Math.ceil((b2 * BRICK + BRICK) / factor));
    let signs = 0;
    for (let z = Math.max(0, low[2]); z <= Math.min(nz - 1, high[2]); z++) {
      for (let y = Math.max(0, low[1]); y <= Math.min(ny - 1, high[1]); y++) {
        for (let x = Math.max(0, low[0]); x <= Math.min(nx - 1, high[0]); x++) signs |= coarse.values[(z * ny + y) * nx + x] < 0 ? 1 : 2;
      }
    }
    if (signs === 3) grid.ensure(brick);
    else grid.table[brick] = signs === 1 ? ALL_INSIDE : ALL_OUTSIDE;
  }
}
function fineField(grid, splatSlots, field, weight, threshold, coarse, context) {
  const { factor } = coarse;
  let values = new Float32Array(grid.slotCount * BRICK_NODES);
  const fill = (slot) => {
    const [bx, by, bz] = grid.brickCoordinates(grid.slotBrick[slot]);
    let at = slot * BRICK_NODES;
    for (let z = 0; z < BRICK; z++) for (let y = 0; y < BRICK; y++) for (let x = 0; x < BRICK; x++, at++) {
      values[at] = slot < splatSlots && weight[at] >= threshold ? field[at] / weight[at] : sampleField(coarse, (bx * BRICK + x) / factor, (by * BRICK + y) / factor, (bz * BRICK + z) / factor);
    }
  };
  for (let slot = 0; slot < grid.slotCount; slot++) fill(slot);
  for (let from = 0; from < grid.slotCount; ) {
    const until = grid.slotCount;
    for (let slot = from; slot < until; slot++) wakeNeighbours(grid, values, slot);
    if (grid.slotCount > until) {
      const bigger = new Float32Array(grid.slotCount * BRICK_NODES);
      bigger.set(values);
      values = bigger;
      for (let slot = until; slot < grid.slotCount; slot++) fill(slot);
    }
    from = until;
  }
  relaxBricks(grid, values, splatSlots, weight, threshold, context);
  return values;
}
function wakeNeighbours(grid, values, slot) {
  const [bx, by, bz] = grid.brickCoordinates(grid.slotBrick[slot]);
  const base = slot * BRICK_NODES;
  for (let dz = -1; dz <= 1; dz++) for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) {
    const x = bx + dx, y = by + dy, z = bz + dz;
    const sign = grid.at(x, y, z);
    if (sign >= 0 || x < 0 || y < 0 || z < 0 || x >= grid.bricks[0] || y >= grid.bricks[1] || z >= grid.bricks[2]) continue;
    const inside = sign === ALL_INSIDE;
    const range = (d) => d < 0 ? [0, 0] : d > 0 ? [BRICK - 1, BRICK - 1] : [0, BRICK - 1];
    const [z0, z1] = range(dz), [y0, y1] = range(dy), [x0, x1] = range(dx);
    search: for (let k = z0; k <= z1; k++) for (let j = y0; j <= y1; j++) for (let i = x0; i <= x1; i++) {
      if (values[base + (k * BRICK + j) * BRICK + i] < 0 !== inside) {
        grid.ensure(grid.brickIndex(x, y, z));
        break search;
      }
    }
  }
}
function relaxBricks(grid, values, splatSlots, weight, threshold, context) {
  const open = [];
  for (let slot = 0; slot < grid.slotCount; slot++) {
    let unknown = slot >= splatSlots;
    for (let i = slot * BRICK_NODES, e = i + BRICK_NODES; !unknown && i < e; i++) if (weight[i] < threshold) unknown = true;
    if (unknown) open.push(slot);
  }
  const edge = BRICK + 2;
  const halo = new Float32Array(edge * edge * edge);
  for (let sweep = 0; sweep < FINE_SWEEPS; sweep++) {
    checkpoint(context, sweep, FINE_SWEEPS, "Smoothing what was closed");
    for (const slot of open) {
      const [bx, by, bz] = grid.brickCoordinates(grid.slotBrick[slot]);
      gatherHalo(grid, values, bx, by, bz, 1, 1, 2 * grid.spacingMm, halo);
      let at = slot * BRICK_NODES;
      for (let z = 1; z <= BRICK; z++) for (let y = 1; y <= BRICK; y++) {
        let p = (z * edge + y) * edge + 1;
        for (let x = 0; x < BRICK; x++, p++, at++) {
          if (slot < splatSlots && weight[at] >= threshold) continue;
          const mean = (halo[p - 1] + halo[p + 1] + halo[p - edge] + halo[p + edge] + halo[p - edge * edge] + halo[p + edge * edge]) / 6;
          halo[p] = mean;
          values[at] = mean;
        }
      }
    }
  }
}

// core/src/mesh/crossings.ts
import { orient2d, orient3d } from "robust-predicates";

// core/src/spatial/triangle-bvh.ts
var LEAF2 = 4;
var TriangleBvh = class {
  constructor(mesh) {
    this.mesh = mesh;
    const { positions: p, indices } = mesh;
    const faces = indices.length / 3;
    this.order = mortonOrder(p, indices);
    let leaves = 1;
    while (leaves * LEAF2 < faces) leaves *= 2;
    this.leaves = leaves;
    const boxes = this.boxes = new Float32Array(2 * leaves * 6);
    for (let i = 0; i < boxes.length; i += 6) {
      boxes[i] = boxes[i + 1] = boxes[i + 2] = Infinity;
      boxes[i + 3] = boxes[i + 4] = boxes[i + 5] = -Infinity;
    }
    for (let k = 0; k < faces; k++) {
      const b2 = (leaves + this.leafOf(k, faces)) * 6;
      const f = this.order[k] * 3;
      for (let c = 0; c < 3; c++) {
        const v = indices[f + c] * 3;
        for (let a2 = 0; a2 < 3; a2++) {
          const x = p[v + a2];
          if (x < boxes[b2 + a2]) boxes[b2 + a2] = x;
          if (x > boxes[b2 + 3 + a2]) boxes[b2 + 3 + a2] = x;
        }
      }
    }
    for (let n = leaves - 1; n >= 1; n--) {
      for (let a2 = 0; a2 < 3; a2++) {
        boxes[n * 6 + a2] = Math.min(boxes[n * 12 + a2], boxes[n * 12 + 6 + a2]);
        boxes[n * 6 + 3 + a2] = Math.max(boxes[n * 12 + 3 + a2], boxes[n * 12 + 9 + a2]);
      }
    }
  }
  mesh;
  /** Faces in tree order. */
  order;
  boxes;
  leaves;
  stack = new Int32Array(128);
  result = { distance2: Infinity, face: -1, x: 0, y: 0, z: 0, u: 1, v: 0, w: 0 };
  leafOf(k, faces) {
    return Math.floor(k * this.leaves / faces);
  }
  leafRange(leaf, faces) {
    return [Math.ceil(leaf * faces / this.leaves), Math.ceil((leaf + 1) * faces / this.leaves)];
  }
  /** Nearest point of the surface within √`maxDistance2`; answer in `result`, false when there is none. */
  closest(x, y, z, maxDistance2 = Infinity) {
    const { boxes, stack, leaves, order, result } = this;
    const faces = order.length;
    result.distance2 = maxDistance2;
    result.face = -1;
    let top = 0;
    stack[0] = 1;
    while (top >= 0) {
      const n = stack[top--];
      if (boxDistance2(boxes, n * 6, x, y, z) >= result.distance2) continue;
      if (n >= leaves) {
        const [from, to] = this.leafRange(n - leaves, faces);
        for (let k = from; k < to; k++) this.closestOnFace(order[k], x, y, z);
        continue;
      }
      const a2 = boxDistance2(boxes, n * 12, x, y, z);
      const b2 = boxDistance2(boxes, n * 12 + 6, x, y, z);
      if (a2 < b2) {
        if (b2 < result.distance2) stack[++top] = 2 * n + 1;
        if (a2 < result.distance2) stack[++top] = 2 * n;
      } else {
        if (a2 < result.distance2) stack[++top] = 2 * n;
        if (b2 < result.distance2) stack[++top] = 2 * n + 1;
      }
    }
    return result.face >= 0;
  }
  /**
   * Calls back once with every unordered pair of faces whose own boxes meet. Leaves are walked against the tree, so that four
   * faces share one descent. `each` may return false to stop; `tick` is called with the share done.
   */
  overlappingPairs(each, tick) {
    const { boxes, stack, leaves, order } = this;
    const faces = order.length;
    const own = this.faceBoxes();
    for (let leaf = 0; leaf < leaves; leaf++) {
      if ((leaf & 255) === 0) tick(leaf / leaves);
      const [from, to] = this.leafRange(leaf, faces);
      const q = (leaves + leaf) * 6;
      const minX = boxes[q], minY = boxes[q + 1], minZ = boxes[q + 2], maxX = boxes[q + 3], maxY = boxes[q + 4], maxZ = boxes[q + 5];
      let top = 0;
      stack[0] = 1;
      while (top >= 0) {
        const n = stack[top--];
        const b2 = n * 6;
        if (boxes[b2] > maxX || boxes[b2 + 3] < minX || boxes[b2 + 1] > maxY || boxes[b2 + 4] < minY || boxes[b2 + 2] > maxZ || boxes[b2 + 5] < minZ) continue;
        if (n < leaves) {
          const depth = Math.clz32(n) - Math.clz32(leaves);
          const lastLeft = (2 * n + 1 << depth - 1 >>> 0) - leaves - 1;
          stack[++top] = 2 * n + 1;
          if (lastLeft >= leaf) stack[++top] = 2 * n;
          continue;
        }
        const other = n - leaves;
        if (other < leaf) continue;
        const [first, last] = this.leafRange(other, faces);
        for (let k = from; k < to; k++) {
          const i = k * 6;
          for (let l = other === leaf ? k + 1 : first; l < last; l++) {
            const j = l * 6;
            if (own[j] > own[i + 3] || own[j + 3] < own[i] || own[j + 1] > own[i + 4] || own[j + 4] < own[i + 1] || own[j + 2] > own[i + 5] || own[j + 5] < own[i + 2]) continue;
            if (!each(order[k], order[l])) return;
          }
        }
      }
    }
  }
  /** Box of each face, in tree order. */
  faceBoxes() {
    const { positions: p, indices } = this.mesh;
    const out = new Float32Array(this.order.length * 6);
    for (let k = 0; k < this.order.length; k++) {
      const f = this.order[k] * 3;
      const a2 = indices[f] * 3, b2 = indices[f + 1] * 3, c = indices[f + 2] * 3;
      for (let d = 0; d < 3; d++) {
        out[k * 6 + d] = Math.min(p[a2 + d], p[b2 + d], p[c + d]);
        out[k * 6 + 3 + d] = Math.max(p[a2 + d], p[b2 + d], p[c + d]);
      }
    }
    return out;
  }
  /** Closest point on one triangle: Ericson 2005, Real-Time Collision Detection, section 5.1.5. */
  closestOnFace(face, x, y, z) {
    const { positions: p, indices } = this.mesh;
    const a2 = indices[face * 3] * 3, b2 = indices[face * 3 + 1] * 3, c = indices[face * 3 + 2] * 3;
    const ax = p[a2], ay = p[a2 + 1], az = p[a2 + 2];
    const abx = p[b2] - ax, aby = p[b2 + 1] - ay, abz = p[b2 + 2] - az;
    const acx = p[c] - ax, acy = p[c + 1] - ay, acz = p[c + 2] - az;
    const apx = x - ax, apy = y - ay, apz = z - az;
    const d1 = abx * apx + aby * apy + abz * apz;
    const d2 = acx * apx + acy * apy + acz * apz;
    let v = 0, w = 0;
    if (!(d1 <= 0 && d2 <= 0)) {
      const bpx = apx - abx, bpy = apy - aby, bpz = apz - abz;
      const d3 = abx * bpx + aby * bpy + abz * bpz;
      const d4 = acx * bpx + acy * bpy + acz * bpz;
      const cpx = apx - acx, cpy = apy - acy, cpz = apz - acz;
      const d5 = abx * cpx + aby * cpy + abz * cpz;
      const d6 = acx * cpx + acy * cpy + acz * cpz;
      const vc = d1 * d4 - d3 * d2;
      const vb = d5 * d2 - d1 * d6;
      const va = d3 * d6 - d5 * d4;
      if (d3 >= 0 && d4 <= d3) v = 1;
      else if (vc <= 0 && d1 >= 0 && d3 <= 0) v = d1 / (d1 - d3);
      else if (d6 >= 0 && d5 <= d6) w = 1;
      else if (vb <= 0 && d2 >= 0 && d6 <= 0) w = d2 / (d2 - d6);
      else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        w = (d4 - d3) / (d4 - d3 + (d5 - d6));
        v = 1 - w;
      } else {
        const s = 1 / (va + vb + vc);
        v = vb * s;
        w = vc * s;
      }
    }
    const qx = ax + v * abx + w * acx, qy = ay + v * aby + w * acy, qz = az + v * abz + w * acz;
    const d = (qx - x) * (qx - x) + (qy - y) * (qy - y) + (qz - z) * (qz - z);
    const r = this.result;
    if (d < r.distance2) {
      r.distance2 = d;
      r.face = face;
      r.x = qx;
      r.y = qy;
      r.z = qz;
      r.u = 1 - v - w;
      r.v = v;
      r.w = w;
    }
  }
};
function boxDistance2(b2, at, x, y, z) {
  const dx = Math.max(b2[at] - x, 0, x - b2[at + 3]);
  const dy = Math.max(b2[at + 1] - y, 0, y - b2[at + 4]);
  const dz = Math.max(b2[at + 2] - z, 0, z - b2[at + 5]);
  return dx * dx + dy * dy + dz * dz;
}
function mortonOrder(p, indices) {
  const faces = indices.length / 3;
  const mid = new Float32Array(faces * 3);
  const min = [Infinity, Infinity, Infinity], max = [-Infinity, -Infinity, -Infinity];
  for (let f = 0; f < faces; f++) for (let a2 = 0; a2 < 3; a2++) {
    const m = (p[indices[f * 3] * 3 + a2] + p[indices[f * 3 + 1] * 3 + a2] + p[indices[f * 3 + 2] * 3 + a2]) / 3;
    mid[f * 3 + a2] = m;
    if (m < min[a2]) min[a2] = m;
    if (m > max[a2]) max[a2] = m;
  }
  const scale = 1023 / Math.max(max[0] - min[0], max[1] - min[1], max[2] - min[2], 1e-30);
  const codes = new Uint32Array(faces);
  for (let f = 0; f < faces; f++) {
    codes[f] = spreadBits((mid[f * 3] - min[0]) * scale) | spreadBits((mid[f * 3 + 1] - min[1]) * scale) << 1 | spreadBits((mid[f * 3 + 2] - min[2]) * scale) << 2;
  }
  return radixOrder(codes);
}

// core/src/mesh/crossings.ts
function findCrossings(mesh, context, limit = Infinity) {
  const { positions: p, indices } = mesh;
  const bvh = new TriangleBvh(mesh);
  const planes = facePlanes(p, indices);
  const pairs = [];
  bvh.overlappingPairs((f, g) => {
    if (facesCross(p, planes, f, g, indices[f * 3] * 3, indices[f * 3 + 1] * 3, indices[f * 3 + 2] * 3, indices[g * 3] * 3, indices[g * 3 + 1] * 3, indices[g * 3 + 2] * 3)) pairs.push(f, g);
    return pairs.length / 2 < limit;
  }, (share) => checkpoint(context, share, 1, "Looking for crossings"));
  return Uint32Array.from(pairs);
}
function facePlanes(p, indices) {
  let reach = 0;
  for (let i = 0; i < p.length; i++) {
    const v = Math.abs(p[i]);
    if (v > reach) reach = v;
  }
  const out = new Float64Array(indices.length / 3 * 5);
  for (let i = 0, o = 0; i < indices.length; i += 3, o += 5) {
    const a2 = indices[i] * 3, b2 = indices[i + 1] * 3, c = indices[i + 2] * 3;
    const ux = p[b2] - p[a2], uy = p[b2 + 1] - p[a2 + 1], uz = p[b2 + 2] - p[a2 + 2];
    const vx = p[c] - p[a2], vy = p[c + 1] - p[a2 + 1], vz = p[c + 2] - p[a2 + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
    out[o] = x;
    out[o + 1] = y;
    out[o + 2] = z;
    out[o + 3] = x * p[a2] + y * p[a2 + 1] + z * p[a2 + 2];
    const u = Math.abs(ux) + Math.abs(uy) + Math.abs(uz), v = Math.abs(vx) + Math.abs(vy) + Math.abs(vz);
    out[o + 4] = 1e-13 * u * v * reach;
  }
  return out;
}
function surely(planes, f, p, i) {
  const o = f * 5;
  const s = planes[o] * p[i] + planes[o + 1] * p[i + 1] + planes[o + 2] * p[i + 2] - planes[o + 3];
  const e = planes[o + 4];
  return s > e ? 1 : s < -e ? -1 : 0;
}
function facesCross(p, planes, f, g, a2, b2, c, u, v, w) {
  const aShared = a2 === u || a2 === v || a2 === w;
  const bShared = b2 === u || b2 === v || b2 === w;
  const cShared = c === u || c === v || c === w;
  const count = (aShared ? 1 : 0) + (bShared ? 1 : 0) + (cShared ? 1 : 0);
  if (count === 3) return true;
  if (count === 2) {
    if (surely(planes, g, p, !aShared ? a2 : !bShared ? b2 : c) !== 0) return false;
    return foldedOver(p, a2, b2, c, aShared, bShared, u, v, w);
  }
  if (count === 1) {
    const o = aShared ? a2 : bShared ? b2 : c;
    const q = aShared ? b2 : bShared ? c : a2;
    const r = aShared ? c : bShared ? a2 : b2;
    const s = o === u ? v : o === v ? w : u;
    const t = o === u ? w : o === v ? u : v;
    const side1 = surely(planes, g, p, q);
    if (side1 !== 0 && side1 === surely(planes, g, p, r)) return false;
    const side2 = surely(planes, f, p, s);
    if (side2 !== 0 && side2 === surely(planes, f, p, t)) return false;
    return edgePierces(p, q, r, u, v, w) || edgePierces(p, s, t, a2, b2, c) || coplanarFan(p, o, q, r, s, t);
  }
  const sa = surely(planes, g, p, a2);
  if (sa !== 0 && sa === surely(planes, g, p, b2) && sa === surely(planes, g, p, c)) return false;
  const su = surely(planes, f, p, u);
  if (su !== 0 && su === surely(planes, f, p, v) && su === surely(planes, f, p, w)) return false;
  return edgePierces(p, a2, b2, u, v, w) || edgePierces(p, b2, c, u, v, w) || edgePierces(p, c, a2, u, v, w) || edgePierces(p, u, v, a2, b2, c) || edgePierces(p, v, w, a2, b2, c) || edgePierces(p, w, u, a2, b2, c) || coplanarOverlap(p, [a2, b2, c], [u, v, w]);
}
function side(p, a2, b2, c, d) {
  return orient3d(p[a2], p[a2 + 1], p[a2 + 2], p[b2], p[b2 + 1], p[b2 + 2], p[c], p[c + 1], p[c + 2], p[d], p[d + 1], p[d + 2]);
}
function edgePierces(p, q, r, a2, b2, c) {
  const sq = side(p, a2, b2, c, q);
  const sr = side(p, a2, b2, c, r);
  if (sq > 0 && sr > 0 || sq < 0 && sr < 0 || sq === 0 && sr === 0) return false;
  const s1 = side(p, q, r, a2, b2);
  const s2 = side(p, q, r, b2, c);
  if (s1 > 0 && s2 < 0 || s1 < 0 && s2 > 0) return false;
  const s3 = side(p, q, r, c, a2);
  return !((s1 > 0 || s2 > 0) && s3 < 0) && !((s1 < 0 || s2 < 0) && s3 > 0);
}
function projection(p, a2, b2, c) {
  const ux = p[b2] - p[a2], uy = p[b2 + 1] - p[a2 + 1], uz = p[b2 + 2] - p[a2 + 2];
  const vx = p[c] - p[a2], vy = p[c + 1] - p[a2 + 1], vz = p[c + 2] - p[a2 + 2];
  const x = Math.abs(uy * vz - uz * vy), y = Math.abs(uz * vx - ux * vz), z = Math.abs(ux * vy - uy * vx);
  if (z >= x && z >= y) return (i) => [p[i], p[i + 1]];
  if (y >= x) return (i) => [p[i], p[i + 2]];
  return (i) => [p[i + 1], p[i + 2]];
}
function turn(at, a2, b2, c) {
  const [ax, ay] = at(a2), [bx, by] = at(b2), [cx, cy] = at(c);
  return Math.sign(orient2d(ax, ay, bx, by, cx, cy));
}
function foldedOver(p, a2, b2, c, aShared, bShared, u, v, w) {
  const own = !aShared ? a2 : !bShared ? b2 : c;
  const first = aShared ? a2 : b2;
  const second = aShared && bShared ? b2 : c;
  const d = u !== first && u !== second ? u : v !== first && v !== second ? v : w;
  if (side(p, first, second, own, d) !== 0) return false;
  const at = projection(p, first, second, own);
  return turn(at, first, second, own) * turn(at, first, second, d) > 0;
}
function coplanarFan(p, o, q, r, s, t) {
  if (side(p, o, q, r, s) !== 0 || side(p, o, q, r, t) !== 0) return false;
  const at = projection(p, o, q, r);
  const orientation = turn(at, o, q, r);
  const inside = (x) => turn(at, o, q, x) * orientation > 0 && turn(at, o, x, r) * orientation > 0;
  const other = turn(at, o, s, t);
  const insideOther = (x) => turn(at, o, s, x) * other > 0 && turn(at, o, x, t) * other > 0;
  return orientation !== 0 && other !== 0 && (inside(s) || inside(t) || insideOther(q) || insideOther(r));
}
function coplanarOverlap(p, first, second) {
  const [a2, b2, c] = first;
  if (second.some((i) => side(p, a2, b2, c, i) !== 0)) return false;
  const at = projection(p, a2, b2, c);
  const separates = (t, other) => {
    const orientation = turn(at, t[0], t[1], t[2]);
    return [0, 1, 2].some((i) => other.every((x) => turn(at, t[i], t[(i + 1) % 3], x) * orientation < 0));
  };
  return !separates(first, second) && !separates(second, first);
}

// core/src/mesh/topology.ts
function edgeTopology(mesh) {
  const { indices } = mesh;
  const vertices = mesh.positions.length / 3;
  const start2 = new Int32Array(vertices + 1);
  const next = (h) => h % 3 === 2 ? h - 2 : h + 1;
  for (let h = 0; h < indices.length; h++) start2[Math.min(indices[h], indices[next(h)]) + 1]++;
  for (let v = 0; v < vertices; v++) start2[v + 1] += start2[v];
  const at = start2.slice();
  const bucket = new Int32Array(indices.length);
  for (let h = 0; h < indices.length; h++) bucket[at[Math.min(indices[h], indices[next(h)])]++] = h;
  const twin = new Int32Array(indices.length).fill(-1);
  let edges = 0, borderEdges = 0, nonManifoldEdges = 0, flippedEdges = 0;
  const group = [];
  const done = new Uint8Array(indices.length);
  for (let v = 0; v < vertices; v++) {
    for (let i = start2[v]; i < start2[v + 1]; i++) {
      const h = bucket[i];
      if (done[h]) continue;
      const other = Math.max(indices[h], indices[next(h)]);
      group.length = 0;
      for (let j = i; j < start2[v + 1]; j++) {
        const g = bucket[j];
        if (!done[g] && Math.max(indices[g], indices[next(g)]) === other) {
          done[g] = 1;
          group.push(g);
        }
      }
      edges++;
      if (group.length === 1) borderEdges++;
      else if (group.length === 2) {
        const [a2, b2] = group;
        if (indices[a2] !== indices[b2]) {
          twin[a2] = b2;
          twin[b2] = a2;
        } else {
          flippedEdges++;
          twin[a2] = -2;
          twin[b2] = -2;
        }
      } else {
        nonManifoldEdges++;
        for (const g of group) twin[g] = -2;
      }
    }
  }
  return { twin, edges, borderEdges, nonManifoldEdges, flippedEdges };
}
function boundaryLoops(mesh, topology) {
  const { indices, positions: p } = mesh;
  const outgoing = /* @__PURE__ */ new Map();
  for (let h = 0; h < indices.length; h++) {
    if (topology.twin[h] !== -1) continue;
    const end = indices[h % 3 === 2 ? h - 2 : h + 1];
    const list = outgoing.get(end);
    if (list) list.push(indices[h]);
    else outgoing.set(end, [indices[h]]);
  }
  const loops = [];
  for (const [from, list] of outgoing) {
    while (list.length > 0) {
      const chain = [from];
      const placed = /* @__PURE__ */ new Map([[from, 0]]);
      let v = list.pop();
      for (; ; ) {
        const known = placed.get(v);
        if (known !== void 0) {
          const loop = chain.splice(known);
          for (const w of loop) placed.delete(w);
          loops.push({ vertices: Int32Array.from(loop), perimeterMm: perimeter(p, loop) });
          if (chain.length === 0) break;
          placed.set(v, chain.length);
          chain.push(v);
        } else {
          placed.set(v, chain.length);
          chain.push(v);
        }
        const step = outgoing.get(v)?.pop();
        if (step === void 0) break;
        v = step;
      }
    }
  }
  return loops.sort((a2, b2) => b2.perimeterMm - a2.perimeterMm);
}
function perimeter(p, loop) {
  let sum = 0;
  for (let i = 0; i < loop.length; i++) {
    const a2 = loop[i] * 3, b2 = loop[(i + 1) % loop.length] * 3;
    sum += Math.hypot(p[a2] - p[b2], p[a2 + 1] - p[b2 + 1], p[a2 + 2] - p[b2 + 2]);
  }
  return sum;
}

// core/src/mesh/health.ts
function checkHealth(input, context, options = {}) {
  const mesh = weldVertices(input);
  const { positions: p, indices } = mesh;
  const topology = edgeTopology(mesh);
  const { count } = meshComponents(mesh);
  const { areaMm2, volumeMm3, zeroAreaFaces } = massProperties(mesh);
  const nonManifoldVertices = countSplitVertices(mesh, topology.twin);
  const used = new Uint8Array(p.length / 3);
  for (const v of indices) used[v] = 1;
  let vertices = 0;
  for (const u of used) vertices += u;
  const faces = indices.length / 3;
  const manifold = topology.nonManifoldEdges === 0 && topology.flippedEdges === 0 && nonManifoldVertices === 0;
  const closed = faces > 0 && topology.borderEdges === 0 && topology.nonManifoldEdges === 0 && topology.flippedEdges === 0 && zeroAreaFaces === 0;
  return {
    vertices,
    faces,
    components: count,
    loops: topology.borderEdges > 0 ? boundaryLoops(mesh, topology) : [],
    borderEdges: topology.borderEdges,
    nonManifoldEdges: topology.nonManifoldEdges,
    nonManifoldVertices,
    flippedEdges: topology.flippedEdges,
    zeroAreaFaces,
    crossings: options.crossings === false ? -1 : findCrossings(mesh, stage(context, 0.3, 1), 1e5).length / 2,
    closed,
    manifold,
    genus: closed && manifold ? count - (vertices - topology.edges + faces) / 2 : null,
    areaMm2,
    volumeMm3
  };
}
function massProperties(mesh) {
  const { positions: p, indices } = mesh;
  const ox = p[0] ?? 0, oy = p[1] ?? 0, oz = p[2] ?? 0;
  let area = 0, volume = 0, zeroAreaFaces = 0;
  for (let i = 0; i < indices.length; i += 3) {
    const a2 = indices[i] * 3, b2 = indices[i + 1] * 3, c = indices[i + 2] * 3;
    const ax = p[a2] - ox, ay = p[a2 + 1] - oy, az = p[a2 + 2] - oz;
    const ux = p[b2] - p[a2], uy = p[b2 + 1] - p[a2 + 1], uz = p[b2 + 2] - p[a2 + 2];
    const vx = p[c] - p[a2], vy = p[c + 1] - p[a2 + 1], vz = p[c + 2] - p[a2 + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
    const twice = Math.sqrt(x * x + y * y + z * z);
    if (twice === 0) zeroAreaFaces++;
    area += twice / 2;
    volume += (ax * x + ay * y + az * z) / 6;
  }
  return { areaMm2: area, volumeMm3: volume, zeroAreaFaces };
}
function countSplitVertices(mesh, twin) {
  const { indices } = mesh;
  const fans = new UnionFind(indices.length);
  for (let h = 0; h < indices.length; h++) {
    const t = twin[h];
    if (t < h) continue;
    const next = (e) => e % 3 === 2 ? e - 2 : e + 1;
    fans.union(h, next(t));
    fans.union(next(h), t);
  }
  const first = new Int32Array(mesh.positions.length / 3).fill(-1);
  const split = new Uint8Array(first.length);
  for (let h = 0; h < indices.length; h++) {
    const root = fans.find(h);
    const v = indices[h];
    if (first[v] < 0) first[v] = root;
    else if (first[v] !== root) split[v] = 1;
  }
  let count = 0;
  for (const s of split) count += s;
  return count;
}

// core/src/operations/skin.ts
var skinTakes = defineOperation({
  name: "skin.make",
  version: 1,
  inputs: { takes: "clouds", motions: "motions" },
  params: Joi5.object({
    names: Joi5.array().items(Joi5.string()).min(1).required(),
    spacingMm: Joi5.number().positive().required().messages({ "number.positive": "The spacing must be larger than 0 mm" }),
    closed: Joi5.boolean().default(true),
    allParts: Joi5.boolean().default(false),
    maxBytes: Joi5.number().positive().default(2 * 2 ** 30)
  }),
  estimate: ({ takes: takes2 }, { spacingMm }) => {
    const area = takes2.reduce((a2, t) => Math.max(a2, diagonal(boundsOf(t.positions)) ** 2 * 1.5), 0);
    return { work: predictFaces(area, spacingMm) / 1e5 + 1, bytes: predictBytes(area, spacingMm) };
  },
  run(inputs, params, context) {
    const clouds = cloudsOf(inputs, "takes");
    const { motions } = motionsOf(inputs, "motions");
    const takes2 = clouds.map((cloud, i) => {
      const name = params.names[i];
      const motion = name === void 0 ? void 0 : motions[name];
      if (!motion && clouds.length > 1) throw new GeometryError("PARAMS", `There is no motion for the take "${name ?? i}".`);
      const normals = cloud.normals ?? estimateFeatures(cloud, stage(context, 0, 0.2)).normals;
      return { cloud: { ...cloud, normals }, motion: motion ?? identityMotion() };
    });
    const { mesh, pointSpacingMm, partsDropped } = makeSkin(takes2, params, stage(context, 0.2, 1));
    const shares = evidenceShares(mesh);
    const { areaMm2, volumeMm3 } = massProperties(mesh);
    const fine = params.spacingMm < pointSpacingMm / 2;
    const findings = [{
      id: "skin.evidence",
      verdict: shares.invented > 0.1 ? "doubtful" : "sound",
      text: `${percent(shares.measured)} of the skin is measured, ${percent(shares.carried)} carried from close by, ${percent(shares.invented)} invented to close what no take saw.`,
      figures: [
        { label: "Measured", value: percent(shares.measured) },
        { label: "Carried", value: percent(shares.carried) },
        { label: "Invented", value: percent(shares.invented) }
      ]
    }];
    if (fine) {
      findings.push({
        id: "skin.finerThanPoints",
        verdict: "doubtful",
        text: `A spacing of ${params.spacingMm} mm asks more than the points hold; they lie about ${pointSpacingMm.toFixed(2)} mm apart. A coarser skin says as much.`
      });
    }
    return {
      outputs: { mesh },
      figures: {
        spacingMm: params.spacingMm,
        pointSpacingMm,
        faces: mesh.indices.length / 3,
        vertices: mesh.positions.length / 3,
        areaMm2,
        volumeMm3,
        measured: shares.measured,
        carried: shares.carried,
        invented: shares.invented,
        partsDropped,
        closed: params.closed
      },
      findings
    };
  },
  describe: (params, figures) => `Made a ${params.closed ? "closed" : "open"} skin at ${params.spacingMm} mm: ${grouped(Number(figures.faces))} triangles`
});

// core/src/operations/adopt.ts
import Joi7 from "joi";

// core/src/operations/mend.ts
import Joi6 from "joi";

// core/src/mesh/fair.ts
function fairPatch(positions, oldFaces, newFaces, loop, firstNew) {
  const total = positions.length / 3;
  const free = total - firstNew;
  if (free === 0) return;
  const rowOf = /* @__PURE__ */ new Map();
  loop.forEach((v) => rowOf.set(v, rowOf.size));
  for (let v = firstNew; v < total; v++) rowOf.set(v, rowOf.size);
  const neighbours = Array.from({ length: rowOf.size }, () => /* @__PURE__ */ new Set());
  const link = (faces) => {
    for (let f = 0; f < faces.length; f += 3) {
      for (let k = 0; k < 3; k++) {
        const row2 = rowOf.get(faces[f + k]);
        if (row2 === void 0) continue;
        neighbours[row2].add(faces[f + (k + 1) % 3]).add(faces[f + (k + 2) % 3]);
      }
    }
  };
  link(oldFaces);
  link(newFaces);
  const vertexOfRow = [...rowOf.keys()];
  const lists = neighbours.map((s) => Int32Array.from(s));
  const rows = lists.length;
  const laplacian = (x, c, out) => {
    for (let r = 0; r < rows; r++) {
      const list = lists[r];
      let mean = 0;
      for (const v of list) mean += x[v * 3 + c];
      out[r] = x[vertexOfRow[r] * 3 + c] - mean / list.length;
    }
  };
  const transpose = (r, out) => {
    out.fill(0);
    for (let i = 0; i < rows; i++) {
      const v = vertexOfRow[i];
      if (v >= firstNew) out[v - firstNew] += r[i];
      const list = lists[i];
      const share = r[i] / list.length;
      for (const w of list) if (w >= firstNew) out[w - firstNew] -= share;
    }
  };
  const row = new Float64Array(rows);
  const step = new Float64Array(positions.length);
  for (let c = 0; c < 3; c++) {
    laplacian(positions, c, row);
    const g = new Float64Array(free);
    transpose(row, g);
    const residual = g.map((v) => -v);
    const direction = residual.slice();
    let rr = residual.reduce((s, v) => s + v * v, 0);
    const goal = rr * 1e-16;
    for (let i = 0; i < Math.min(4 * free + 50, 2e3) && rr > goal && rr > 1e-24; i++) {
      step.fill(0);
      for (let v = 0; v < free; v++) step[(firstNew + v) * 3 + c] = direction[v];
      laplacian(step, c, row);
      let curvature = 0;
      for (const v of row) curvature += v * v;
      const alpha = rr / curvature;
      transpose(row, g);
      let next = 0;
      for (let v = 0; v < free; v++) {
        positions[(firstNew + v) * 3 + c] += alpha * direction[v];
        residual[v] -= alpha * g[v];
        next += residual[v] * residual[v];
      }
      const beta = next / rr;
      for (let v = 0; v < free; v++) direction[v] = residual[v] + beta * direction[v];
      rr = next;
    }
  }
}

// core/src/mesh/loop-triangulation.ts
var OPTIMAL_LIMIT = 220;
function triangulateLoop(positions, loop) {
  const out = [];
  const todo = [Array.from(loop)];
  while (todo.length > 0) {
    const ring = todo.pop();
    if (ring.length < 3) continue;
    if (ring.length <= OPTIMAL_LIMIT) optimal(positions, ring, out);
    else todo.push(...halve(positions, ring));
  }
  return out;
}
function halve(p, ring) {
  const n = ring.length;
  let best = Infinity;
  let cut = [0, n >> 1];
  const least = Math.floor(n / 4);
  const step = Math.max(1, Math.floor(n / 200));
  for (let i = 0; i < n; i += step) {
    for (let j = i + least; j <= i + n - least && j < n; j += step) {
      const a2 = ring[i] * 3, b2 = ring[j] * 3;
      const d = Math.hypot(p[a2] - p[b2], p[a2 + 1] - p[b2 + 1], p[a2 + 2] - p[b2 + 2]);
      if (d < best) {
        best = d;
        cut = [i, j];
      }
    }
  }
  return [ring.slice(cut[0], cut[1] + 1), ring.slice(cut[1]).concat(ring.slice(0, cut[0] + 1))];
}
function optimal(p, ring, out) {
  const n = ring.length;
  const cost = new Float64Array(n * n);
  const via = new Int16Array(n * n);
  const area = (i, j, k) => {
    const a2 = ring[i] * 3, b2 = ring[j] * 3, c = ring[k] * 3;
    const ux = p[b2] - p[a2], uy = p[b2 + 1] - p[a2 + 1], uz = p[b2 + 2] - p[a2 + 2];
    const vx = p[c] - p[a2], vy = p[c + 1] - p[a2 + 1], vz = p[c + 2] - p[a2 + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
    return Math.sqrt(x * x + y * y + z * z);
  };
  for (let gap = 2; gap < n; gap++) {
    for (let i = 0; i + gap < n; i++) {
      const k = i + gap;
      let least = Infinity;
      let best = i + 1;
      for (let j = i + 1; j < k; j++) {
        const c = cost[i * n + j] + cost[j * n + k] + area(i, j, k);
        if (c < least) {
          least = c;
          best = j;
        }
      }
      cost[i * n + k] = least;
      via[i * n + k] = best;
    }
  }
  const stack = [0, n - 1];
  while (stack.length > 0) {
    const k = stack.pop();
    const i = stack.pop();
    if (k - i < 2) continue;
    const j = via[i * n + k];
    out.push(ring[i], ring[j], ring[k]);
    stack.push(i, j, j, k);
  }
}

// core/src/mesh/fill-holes.ts
function fillHoles(input, options, context) {
  if (!(options.perimeterMm > 0)) throw new GeometryError("PARAMS", `The largest perimeter must be larger than 0 mm, not ${options.perimeterMm}.`);
  const welded = weldVertices(input);
  const loops = boundaryLoops(welded, edgeTopology(welded));
  const chosen = loops.filter((l) => l.perimeterMm <= options.perimeterMm && l.vertices.length >= 3);
  let mesh = { positions: Float64Array.from(welded.positions), faces: Array.from(welded.indices) };
  const baseVertices = welded.positions.length / 3;
  for (let i = 0; i < chosen.length; i++) {
    checkpoint(context, i, chosen.length, `Closing hole ${i + 1} of ${chosen.length}`);
    mesh = closeOne(mesh, chosen[i].vertices);
  }
  const added = mesh.positions.length / 3 - baseVertices;
  const grown = (from, size2, value) => {
    if (!from) return void 0;
    const out = new Uint8Array((baseVertices + added) * size2).fill(value);
    out.set(from);
    return out;
  };
  const evidence = grown(welded.evidence ?? new Uint8Array(baseVertices), 1, EVIDENCE.invented);
  const colours = grown(welded.colours, 3, 160);
  const { normals: _gone, ...rest } = welded;
  return {
    mesh: { ...rest, positions: Float32Array.from(mesh.positions), indices: Uint32Array.from(mesh.faces), evidence, ...colours && { colours } },
    closedHoles: chosen.length,
    leftOpen: loops.length - chosen.length,
    facesAdded: (mesh.faces.length - welded.indices.length) / 3
  };
}
function closeOne(mesh, loop) {
  const triangles = triangulateLoop(mesh.positions, loop);
  const patch = refine(mesh.positions, loop, triangles);
  const faces = mesh.faces.concat(patch.faces);
  if (patch.added.length === 0) return { positions: mesh.positions, faces };
  const positions = new Float64Array(mesh.positions.length + patch.added.length);
  positions.set(mesh.positions);
  positions.set(patch.added, mesh.positions.length);
  fairPatch(positions, mesh.faces, patch.faces, loop, mesh.positions.length / 3);
  return { positions, faces };
}
function refine(base, loop, triangles) {
  const added = [];
  const offset = base.length / 3;
  const at = (v, c) => v < offset ? base[v * 3 + c] : added[(v - offset) * 3 + c];
  const distance = (a2, b2) => Math.hypot(at(a2, 0) - at(b2, 0), at(a2, 1) - at(b2, 1), at(a2, 2) - at(b2, 2));
  const scale = /* @__PURE__ */ new Map();
  loop.forEach((v, i) => scale.set(v, (distance(v, loop[(i + 1) % loop.length]) + distance(v, loop[(i + loop.length - 1) % loop.length])) / 2));
  let faces = triangles;
  const border = /* @__PURE__ */ new Set();
  const key = (a2, b2) => a2 < b2 ? `${a2},${b2}` : `${b2},${a2}`;
  loop.forEach((v, i) => border.add(key(v, loop[(i + 1) % loop.length])));
  for (let round = 0; round < 12; round++) {
    const next = [];
    let split = 0;
    for (let f = 0; f < faces.length; f += 3) {
      const [a2, b2, c] = [faces[f], faces[f + 1], faces[f + 2]];
      const mid = [0, 1, 2].map((k) => (at(a2, k) + at(b2, k) + at(c, k)) / 3);
      const want = (scale.get(a2) + scale.get(b2) + scale.get(c)) / 3;
      const far = [a2, b2, c].every((v2) => Math.SQRT2 * Math.hypot(at(v2, 0) - mid[0], at(v2, 1) - mid[1], at(v2, 2) - mid[2]) > Math.max(want, scale.get(v2)));
      if (!far || added.length > 15e4) {
        next.push(a2, b2, c);
        continue;
      }
      const v = offset + added.length / 3;
      added.push(mid[0], mid[1], mid[2]);
      scale.set(v, want);
      next.push(a2, b2, v, b2, c, v, c, a2, v);
      split++;
    }
    faces = next;
    if (split === 0) break;
    relaxEdges(faces, at, border, key);
  }
  return { faces, added };
}
function relaxEdges(faces, at, border, key) {
  const angle = (o, a2, b2) => {
    let dot = 0, aa = 0, bb = 0;
    for (let c = 0; c < 3; c++) {
      const x = at(a2, c) - at(o, c), y = at(b2, c) - at(o, c);
      dot += x * y;
      aa += x * x;
      bb += y * y;
    }
    return Math.acos(Math.max(-1, Math.min(1, dot / Math.sqrt(aa * bb || 1))));
  };
  for (let pass = 0; pass < 8; pass++) {
    const edges = /* @__PURE__ */ new Map();
    for (let f = 0; f < faces.length; f += 3) for (let k = 0; k < 3; k++) {
      const e = key(faces[f + k], faces[f + (k + 1) % 3]);
      const list = edges.get(e);
      if (list) list.push(f);
      else edges.set(e, [f]);
    }
    const touched = /* @__PURE__ */ new Set();
    let flips = 0;
    for (const [e, list] of edges) {
      if (border.has(e) || list.length !== 2 || touched.has(list[0]) || touched.has(list[1])) continue;
      const [f, g] = list;
      const k = [0, 1, 2].find((i) => key(faces[f + i], faces[f + (i + 1) % 3]) === e);
      const a2 = faces[f + k], b2 = faces[f + (k + 1) % 3], c = faces[f + (k + 2) % 3];
      const d = [0, 1, 2].map((i) => faces[g + i]).find((v) => v !== a2 && v !== b2);
      if (angle(c, a2, b2) + angle(d, a2, b2) <= Math.PI + 1e-9 || edges.has(key(c, d))) continue;
      faces[f] = a2;
      faces[f + 1] = d;
      faces[f + 2] = c;
      faces[g] = d;
      faces[g + 1] = b2;
      faces[g + 2] = c;
      edges.set(key(c, d), [f, g]);
      touched.add(f).add(g);
      flips++;
    }
    if (flips === 0) break;
  }
}

// core/src/operations/mend.ts
var closeHoles = defineOperation({
  name: "mend.closeHoles",
  version: 1,
  inputs: { mesh: "mesh" },
  params: Joi6.object({ perimeterMm: Joi6.number().positive().allow(null).default(null) }),
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 5e5, bytes: mesh.indices.byteLength * 12 }),
  run(inputs, params, context) {
    const result = fillHoles(meshOf(inputs, "mesh"), { perimeterMm: params.perimeterMm ?? Infinity }, stage(context, 0, 0.5));
    const health = checkHealth(result.mesh, stage(context, 0.5, 1));
    return {
      outputs: { mesh: result.mesh },
      figures: { closedHoles: result.closedHoles, leftOpen: result.leftOpen, facesAdded: result.facesAdded, ...healthFigures(health) },
      findings: healthFindings(health)
    };
  },
  describe: (params, figures) => `Closed ${figures.closedHoles} holes${params.perimeterMm === null ? "" : ` with a rim up to ${params.perimeterMm} mm`}; ${figures.leftOpen} left open`
});
var healthCheck = defineOperation({
  name: "mend.health",
  version: 1,
  inputs: { mesh: "mesh" },
  params: Joi6.object({}),
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 6e5, bytes: mesh.indices.byteLength * 10 }),
  run(inputs, _params, context) {
    const health = checkHealth(meshOf(inputs, "mesh"), context);
    return { outputs: {}, figures: healthFigures(health), findings: healthFindings(health) };
  },
  describe: (_params, figures) => `Checked the mesh: ${figures.closed ? "closed" : "open"}, ${figures.crossings} crossings`
});
function healthFigures(h) {
  return {
    faces: h.faces,
    vertices: h.vertices,
    components: h.components,
    holes: h.loops.length,
    borderEdges: h.borderEdges,
    largestRimMm: h.loops[0]?.perimeterMm ?? 0,
    nonManifoldEdges: h.nonManifoldEdges,
    nonManifoldVertices: h.nonManifoldVertices,
    flippedEdges: h.flippedEdges,
    zeroAreaFaces: h.zeroAreaFaces,
    crossings: h.crossings,
    closed: h.closed,
    manifold: h.manifold,
    genus: h.genus ?? "not defined",
    areaMm2: h.areaMm2,
    volumeMm3: h.volumeMm3
  };
}
function healthFindings(h) {
  const faults = [
    h.loops.length > 0 && `${grouped(h.loops.length)} ${h.loops.length === 1 ? "hole" : "holes"}, the largest with a rim of ${h.loops[0].perimeterMm.toFixed(0)} mm`,
    h.nonManifoldEdges > 0 && `${grouped(h.nonManifoldEdges)} edges where more than two faces meet`,
    h.nonManifoldVertices > 0 && `${grouped(h.nonManifoldVertices)} points where surfaces only touch`,
    h.flippedEdges > 0 && `${grouped(h.flippedEdges)} edges between faces turned against each other`,
    h.zeroAreaFaces > 0 && `${grouped(h.zeroAreaFaces)} faces without area`,
    h.crossings > 0 && `${grouped(h.crossings)} places where faces cross`,
    h.closed && h.volumeMm3 < 0 && "all faces look inward"
  ].filter((t) => typeof t === "string");
  if (faults.length === 0) {
    return [{ id: "mend.health", verdict: "sound", text: `The skin is closed and clean: ${grouped(h.faces)} triangles, ${h.components === 1 ? "one part" : `${h.components} parts`}, ${(h.volumeMm3 / 1e3).toFixed(1)} cm\xB3.` }];
  }
  return [{
    id: "mend.health",
    verdict: h.closed && h.manifold ? "doubtful" : "unsound",
    text: `The mesh has ${faults.join("; ")}. ${h.loops.length > 0 ? "A printer needs it closed." : "A slicer may stumble over it."}`,
    ...h.loops.length > 0 && { nextMove: "Close the holes" }
  }];
}

// core/src/operations/adopt.ts
var adoptMesh = defineOperation({
  name: "skin.adopt",
  version: 1,
  inputs: { mesh: "mesh" },
  params: Joi7.object({}),
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 6e5, bytes: mesh.indices.byteLength * 10 }),
  run(inputs, _params, context) {
    const mesh = meshOf(inputs, "mesh");
    const health = checkHealth(mesh, stage(context, 0, 1));
    return { outputs: { mesh }, figures: healthFigures(health), findings: healthFindings(health) };
  },
  describe: () => "Took the imported mesh as the skin"
});

// core/src/operations/size.ts
import Joi8 from "joi";

// core/src/measure/scale.ts
var SCALE_DEFAULTS = { pickMm: 0.05, commonMm: 0 };
var SLIPS = [
  { factor: 1e3, text: "the file looks as if it were in metres, read as millimetres (\xD7 1000)" },
  { factor: 1e-3, text: "the file looks a thousand times too big (\xF7 1000)" },
  { factor: 25.4, text: "the file looks as if it were in inches, read as millimetres (\xD7 25.4)" },
  { factor: 1 / 25.4, text: "the file looks as if millimetres had been taken for inches (\xF7 25.4)" },
  { factor: 10, text: "the file looks as if it were in centimetres, read as millimetres (\xD7 10)" },
  { factor: 0.1, text: "the file looks ten times too big (\xF7 10)" }
];
var SLIP_TOLERANCE = 0.06;
function unitSlip(factor) {
  return SLIPS.find((s) => Math.abs(factor / s.factor - 1) < SLIP_TOLERANCE) ?? null;
}
function fitScale(pairs, options = {}) {
  if (pairs.length === 0) throw new GeometryError("PARAMS", "Scaling needs at least one distance.");
  const pick = options.pickMm ?? SCALE_DEFAULTS.pickMm;
  const common = options.commonMm ?? SCALE_DEFAULTS.commonMm;
  const d = pairs.map((p, i) => {
    const length = Math.hypot(p.from[0] - p.to[0], p.from[1] - p.to[1], p.from[2] - p.to[2]);
    if (!(length > 0)) throw new GeometryError("DEGENERATE", `Distance ${i + 1} begins and ends at the same point.`);
    if (!(p.readingMm > 0)) throw new GeometryError("PARAMS", `The reading of distance ${i + 1} must be larger than 0 mm, not ${p.readingMm}.`);
    if (!(p.uncertaintyMm >= 0)) throw new GeometryError("PARAMS", `The uncertainty of distance ${i + 1} must be 0 mm or more.`);
    return length;
  });
  let k = pairs.reduce((s, p, i) => s + p.readingMm * d[i], 0) / d.reduce((s, v) => s + v * v, 0);
  let information = 0;
  for (let round = 0; round < 3; round++) {
    let top = 0;
    information = 0;
    pairs.forEach((p, i) => {
      const variance = Math.max(p.uncertaintyMm ** 2 + 2 * (k * pick) ** 2, 1e-18);
      top += p.readingMm * d[i] / variance;
      information += d[i] * d[i] / variance;
    });
    k = top / information;
  }
  const shift = pairs.reduce((s, p, i) => s + d[i] / Math.max(p.uncertaintyMm ** 2 + 2 * (k * pick) ** 2, 1e-18), 0) / information;
  const uncertainty = Math.sqrt(1 / information + (common * shift) ** 2);
  return {
    factor: k,
    uncertainty,
    halfWidth95: 1.959964 * uncertainty,
    residualMm: pairs.map((p, i) => p.readingMm - k * d[i]),
    meshMm: d,
    unitSlip: unitSlip(k)
  };
}

// core/src/operations/size.ts
var point2 = Joi8.array().items(Joi8.number()).length(3).required();
var scaleShape = defineOperation({
  name: "size.scale",
  version: 1,
  inputs: { shape: "shape" },
  params: Joi8.object({
    pairs: Joi8.array().items(Joi8.object({
      from: point2,
      to: point2,
      readingMm: Joi8.number().positive().required(),
      uncertaintyMm: Joi8.number().min(0).default(0.05)
    })).default([]),
    pickMm: Joi8.number().min(0).default(0.05),
    commonMm: Joi8.number().min(0).default(0),
    factor: Joi8.number().positive().allow(null).default(null)
  }),
  estimate: ({ shape }) => ({ work: shape.positions.length / 3e6, bytes: shape.positions.byteLength * 2 }),
  run(inputs, params) {
    const shape = inputs.shape;
    const scaled = (k) => ({
      ...shape,
      positions: Float32Array.from(shape.positions, (v) => v * k),
      ...shape.originMm && { originMm: [shape.originMm[0] * k, shape.originMm[1] * k, shape.originMm[2] * k] },
      ...shape.kind === "cloud" && shape.frameOrigins && { frameOrigins: shape.frameOrigins.map((v) => v * k) }
    });
    if (params.factor !== null) {
      return {
        outputs: { shape: scaled(params.factor) },
        figures: { factor: params.factor, uncertainty: 0, readings: 0 },
        findings: [{ id: "size.factor", verdict: "sound", text: `Everything was multiplied by ${Number(params.factor.toPrecision(6))}.` }]
      };
    }
    if (params.pairs.length === 0) throw new GeometryError("PARAMS", "Give at least one calliper distance, or a factor.");
    const fit = fitScale(params.pairs, params);
    const slip = unitSlip(fit.factor);
    const worstResidual = Math.max(...fit.residualMm.map(Math.abs));
    const spread = fit.residualMm.some((r, i) => Math.abs(r) > 3 * Math.hypot(params.pairs[i].uncertaintyMm, params.pickMm * Math.SQRT2));
    const findings = [{
      id: "size.scale",
      verdict: slip || spread ? "doubtful" : "sound",
      text: slip ? `The readings say ${fit.factor.toPrecision(5)} times: ${slip.text}.` : `Scale ${fit.factor.toFixed(5)} \xB1 ${fit.halfWidth95.toFixed(5)} (95 %), from ${fit.meshMm.length} ${fit.meshMm.length === 1 ? "reading" : "readings"}${fit.meshMm.length > 1 ? `; they disagree by up to ${worstResidual.toFixed(2)} mm` : ""}.`
    }];
    return {
      outputs: { shape: scaled(fit.factor) },
      figures: {
        factor: fit.factor,
        uncertainty: fit.uncertainty,
        halfWidth95: fit.halfWidth95,
        readings: fit.meshMm.length,
        worstResidualMm: worstResidual,
        lengths: JSON.stringify(fit.meshMm.map((d, i) => ({ meshMm: d, readingMm: params.pairs[i].readingMm, scaledMm: d * fit.factor, residualMm: fit.residualMm[i] }))),
        ...slip && { unitSlip: slip.text }
      },
      findings
    };
  },
  describe: (_params, figures) => `Scaled by ${Number(Number(figures.factor).toPrecision(6))} from ${figures.readings} ${figures.readings === 1 ? "reading" : "readings"}`
});

// core/src/operations/simplify.ts
import Joi9 from "joi";

// core/src/mesh/simplify.ts
import { MeshoptSimplifier } from "meshoptimizer";
async function simplifyMesh(input, options) {
  const { faces, deviationMm } = options;
  if (faces === void 0 && deviationMm === void 0) throw new GeometryError("PARAMS", "Say how many faces to keep, or how far the surface may move.");
  if (faces !== void 0 && !(Number.isInteger(faces) && faces >= 4)) throw new GeometryError("PARAMS", `A closed mesh has at least 4 faces; ${faces} is too few.`);
  if (deviationMm !== void 0 && !(deviationMm > 0)) throw new GeometryError("PARAMS", `The deviation must be larger than 0 mm, not ${deviationMm}.`);
  await MeshoptSimplifier.ready;
  const mesh = weldVertices(input);
  const [indices, error] = MeshoptSimplifier.simplify(
    mesh.indices,
    mesh.positions,
    3,
    faces === void 0 ? 0 : Math.min(mesh.indices.length, faces * 3),
    deviationMm ?? 1e30,
    ["LockBorder", "ErrorAbsolute"]
  );
  const out = dropUnusedVertices({ ...mesh, indices: Uint32Array.from(indices) });
  const { normals: _gone, ...rest } = out;
  return { mesh: rest, deviationMm: error };
}

// core/src/operations/simplify.ts
var simplify = defineOperation({
  name: "mend.simplify",
  version: 1,
  inputs: { mesh: "mesh" },
  params: Joi9.object({ faces: Joi9.number().integer().min(4).allow(null).default(null), deviationMm: Joi9.number().positive().allow(null).default(null) }),
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 5e5, bytes: mesh.indices.byteLength * 10 }),
  async run(inputs, params, context) {
    const before = meshOf(inputs, "mesh");
    const result = await simplifyMesh(before, { ...params.faces !== null && { faces: params.faces }, ...params.deviationMm !== null && { deviationMm: params.deviationMm } });
    const health = checkHealth(result.mesh, stage(context, 0.5, 1));
    return {
      outputs: { mesh: result.mesh },
      figures: { before: before.indices.length / 3, deviationMm: result.deviationMm, ...healthFigures(health) },
      findings: healthFindings(health)
    };
  },
  describe: (_params, figures) => `Simplified from ${grouped(Number(figures.before))} to ${grouped(Number(figures.faces))} triangles, deviation ${mm(Number(figures.deviationMm), 3)}`
});

// core/src/operations/simulate.ts
import Joi10 from "joi";

// core/src/simulator/device.ts
var TABLETOP_DEVICE = {
  name: "Tabletop structured light",
  windowMm: 160,
  standOffMm: 330,
  depthBandMm: 55,
  baselineMm: 90,
  framePitchMm: 0.72,
  fusedSpacingMm: 0.3,
  noiseMm: 0.05,
  maxIncidenceDeg: 75
};
function rangeNoiseMm(device2, distanceMm) {
  const ratio = distanceMm / device2.standOffMm;
  return device2.noiseMm * ratio * ratio;
}

// core/src/simulator/implicit.ts
function length2(x, y) {
  return Math.sqrt(x * x + y * y);
}
function length3(x, y, z) {
  return Math.sqrt(x * x + y * y + z * z);
}
function smoothMin(a2, b2, k) {
  const h = Math.max(k - Math.abs(a2 - b2), 0) / k;
  return Math.min(a2, b2) - h * h * k * 0.25;
}
function smoothMax(a2, b2, k) {
  return -smoothMin(-a2, -b2, k);
}
function ellipsoid(x, y, z, a2, b2, c) {
  const xa = x / a2, yb = y / b2, zc = z / c;
  const k0 = Math.sqrt(xa * xa + yb * yb + zc * zc);
  const k1 = length3(xa / a2, yb / b2, zc / c);
  return k1 > 1e-12 ? k0 * (k0 - 1) / k1 : -Math.min(a2, b2, c);
}
function taperedCapsule(x, y, z, ax, ay, az, ra, bx, by, bz, rb) {
  const ux = bx - ax, uy = by - ay, uz = bz - az;
  const px = x - ax, py = y - ay, pz = z - az;
  const t = Math.min(1, Math.max(0, (px * ux + py * uy + pz * uz) / (ux * ux + uy * uy + uz * uz)));
  return length3(px - t * ux, py - t * uy, pz - t * uz) - (ra + t * (rb - ra));
}
function implicitNormal(f, x, y, z, out, step = 1e-3) {
  const gx = f(x + step, y, z) - f(x - step, y, z);
  const gy = f(x, y + step, z) - f(x, y - step, z);
  const gz = f(x, y, z + step) - f(x, y, z - step);
  const l = length3(gx, gy, gz) || 1;
  out[0] = gx / l;
  out[1] = gy / l;
  out[2] = gz / l;
}

// core/src/simulator/polygonise.ts
function polygonise(field, bounds, spacingMm, context) {
  const pad = 2 * spacingMm;
  const origin = [bounds.min[0] - pad, bounds.min[1] - pad, bounds.min[2] - pad];
  const bricks = [0, 1, 2].map((c) => Math.ceil(((bounds.max[c] - bounds.min[c] + 2 * pad) / spacingMm + 1) / BRICK));
  const grid = new BrickGrid(origin, spacingMm, bricks);
  const reach = spacingMm * BRICK * 0.87 * 1.6;
  for (let b2 = 0; b2 < grid.table.length; b2++) {
    const [bx, by, bz] = grid.brickCoordinates(b2);
    const half = (BRICK - 1) / 2;
    const f = field(origin[0] + spacingMm * (bx * BRICK + half), origin[1] + spacingMm * (by * BRICK + half), origin[2] + spacingMm * (bz * BRICK + half));
    if (Math.abs(f) < reach) grid.ensure(b2);
    else if (f < 0) grid.table[b2] = ALL_INSIDE;
  }
  const values = new Float32Array(grid.slotCount * BRICK_NODES);
  grid.slotBrick.forEach((brick, slot) => {
    const [bx, by, bz] = grid.brickCoordinates(brick);
    let at = slot * BRICK_NODES;
    for (let z = 0; z < BRICK; z++) for (let y = 0; y < BRICK; y++) for (let x = 0; x < BRICK; x++) {
      values[at++] = field(origin[0] + spacingMm * (bx * BRICK + x), origin[1] + spacingMm * (by * BRICK + y), origin[2] + spacingMm * (bz * BRICK + z));
    }
  });
  const { positions, indices } = contourBricks(grid, values, spacingMm, context);
  const step = 1e-3;
  for (let i = 0; i < positions.length; i += 3) {
    for (let round = 0; round < 3; round++) {
      const x = positions[i], y = positions[i + 1], z = positions[i + 2];
      const f = field(x, y, z);
      const gx = (field(x + step, y, z) - field(x - step, y, z)) / (2 * step);
      const gy = (field(x, y + step, z) - field(x, y - step, z)) / (2 * step);
      const gz = (field(x, y, z + step) - field(x, y, z - step)) / (2 * step);
      const g2 = Math.max(gx * gx + gy * gy + gz * gz, 0.05);
      const limit = 0.2 * spacingMm;
      const t = Math.max(-limit, Math.min(limit, f / Math.sqrt(g2))) / Math.sqrt(g2);
      positions[i] = x - t * gx;
      positions[i + 1] = y - t * gy;
      positions[i + 2] = z - t * gz;
    }
  }
  return { kind: "mesh", positions, indices };
}

// core/src/simulator/bench.ts
var LAMP_TAKES = [
  { name: "upright", pose: { aboutXDeg: 0, aboutYDeg: 0, headingDeg: 0 }, steps: 12, elevationDeg: 48 },
  { name: "side", pose: { aboutXDeg: 104, aboutYDeg: 0, headingDeg: 35 }, steps: 12, elevationDeg: 30 }
];
var TABLE_RADIUS_MM = 64;
var PLACING_MM = 4;
function captureTake(piece, plan, device2, seed, context) {
  const random = seededRandom(seed);
  const { truth: truth2, box } = placeByHand(piece, plan, random);
  const inverse = invertRigid(truth2);
  const [a2, b2, c, d, e, f, g, h, i, j, k, l] = inverse;
  const field = (x, y, z) => piece.field(a2 * x + b2 * y + c * z + d, e * x + f * y + g * z + h, i * x + j * y + k * z + l);
  const positions = [];
  const frames = [];
  const origins = new Float64Array(plan.steps * 3);
  const tableDeg = [];
  const tracing = stage(context, 0, 0.8);
  for (let s = 0; s < plan.steps; s++) {
    checkpoint(tracing, s, plan.steps, `Taking ${plan.name}, frame ${s + 1} of ${plan.steps}`);
    const angle = s / plan.steps * 2 * Math.PI;
    tableDeg.push(s / plan.steps * 360);
    captureFrame(field, box, device2, angle, plan.elevationDeg * Math.PI / 180, random, (x, y, z) => {
      positions.push(x, y, z);
      frames.push(s);
    }, origins, s);
  }
  const raw = {
    kind: "cloud",
    positions: Float32Array.from(positions),
    frame: Uint16Array.from(frames),
    frameOrigins: origins
  };
  const fused = pickPoints(raw, thinEvenly(raw, device2.fusedSpacingMm));
  const { normals } = estimateFeatures(fused, stage(context, 0.8, 1));
  return { name: plan.name, cloud: { ...fused, normals }, tableDeg, truth: truth2 };
}
function placeByHand(piece, plan, random) {
  const deg = Math.PI / 180;
  const turned = compose(
    rotationMotion([0, 0, 1], plan.pose.headingDeg * deg),
    compose(rotationMotion([0, 1, 0], plan.pose.aboutYDeg * deg), rotationMotion([1, 0, 0], plan.pose.aboutXDeg * deg))
  );
  const { positions } = polygonise(piece.field, piece.bounds, 1.5, quietContext());
  let lowest = Infinity;
  let cx = 0, cy = 0;
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = transformPoint(turned, positions[i], positions[i + 1], positions[i + 2]);
    lowest = Math.min(lowest, z);
    cx += 3 * x / positions.length;
    cy += 3 * y / positions.length;
  }
  const shift = identityMotion();
  shift[3] = -cx + PLACING_MM * (random.next() - 0.5);
  shift[7] = -cy + PLACING_MM * (random.next() - 0.5);
  shift[11] = -lowest;
  const truth2 = compose(shift, turned);
  const { min, max } = boundsOf(transformPoints(truth2, positions));
  return { truth: truth2, box: { min: [min[0] - 0.5, min[1] - 0.5, min[2] - 0.5], max: [max[0] + 0.5, max[1] + 0.5, max[2] + 0.5] } };
}
function captureFrame(field, box, device2, angle, elevation, random, emit, origins, frame) {
  const dirX = Math.cos(elevation) * Math.cos(angle), dirY = Math.cos(elevation) * Math.sin(angle), dirZ = Math.sin(elevation);
  const aimZ = (box.min[2] + box.max[2]) / 2;
  const ox = dirX * device2.standOffMm, oy = dirY * device2.standOffMm, oz = aimZ + dirZ * device2.standOffMm;
  origins[frame * 3] = ox;
  origins[frame * 3 + 1] = oy;
  origins[frame * 3 + 2] = oz;
  const rx = -Math.sin(angle), ry = Math.cos(angle);
  const upX = -Math.sin(elevation) * Math.cos(angle), upY = -Math.sin(elevation) * Math.sin(angle), upZ = Math.cos(elevation);
  const projX = ox + rx * device2.baselineMm, projY = oy + ry * device2.baselineMm, projZ = oz;
  const pixels = Math.round(device2.windowMm / device2.framePitchMm);
  const half = device2.windowMm / 2;
  const near = device2.standOffMm - device2.depthBandMm;
  const far = device2.standOffMm + device2.depthBandMm;
  const minCos = Math.cos(device2.maxIncidenceDeg * Math.PI / 180);
  const normal = new Float64Array(3);
  for (let v = 0; v < pixels; v++) {
    for (let w = 0; w < pixels; w++) {
      const sx = (w + random.next()) / pixels * device2.windowMm - half;
      const sy = (v + random.next()) / pixels * device2.windowMm - half;
      let x = -dirX * device2.standOffMm + rx * sx + upX * sy;
      let y = -dirY * device2.standOffMm + ry * sx + upY * sy;
      let z = -dirZ * device2.standOffMm + upZ * sy;
      const length = Math.sqrt(x * x + y * y + z * z);
      x /= length;
      y /= length;
      z /= length;
      const cosAxis = -(x * dirX + y * dirY + z * dirZ);
      let t = traceRay(field, box, ox, oy, oz, x, y, z, far / cosAxis);
      let nx = 0, ny = 0, nz = 1;
      const tTable = z < 0 ? -oz / z : Infinity;
      if (t < tTable) {
        implicitNormal(field, ox + t * x, oy + t * y, oz + t * z, normal);
        nx = normal[0];
        ny = normal[1];
        nz = normal[2];
      } else t = tTable;
      if (!Number.isFinite(t)) continue;
      const depth = t * cosAxis;
      if (depth < near || depth > far) continue;
      const hx = ox + t * x, hy = oy + t * y, hz = oz + t * z;
      if (hz < 1e-6 && hx * hx + hy * hy > TABLE_RADIUS_MM * TABLE_RADIUS_MM) continue;
      if (-(nx * x + ny * y + nz * z) < minCos) continue;
      if (shadowed(field, box, hx + nx * 0.05, hy + ny * 0.05, hz + nz * 0.05, projX, projY, projZ, nx, ny, nz, minCos)) continue;
      const noise = rangeNoiseMm(device2, t) * random.gaussian();
      emit(hx + noise * x, hy + noise * y, hz + noise * z);
    }
  }
}
function traceRay(field, box, ox, oy, oz, x, y, z, limit) {
  let t = 0;
  let end = limit;
  for (let c = 0; c < 3; c++) {
    const o = c === 0 ? ox : c === 1 ? oy : oz;
    const d = c === 0 ? x : c === 1 ? y : z;
    const a2 = (box.min[c] - o) / d;
    const b2 = (box.max[c] - o) / d;
    t = Math.max(t, Math.min(a2, b2));
    end = Math.min(end, Math.max(a2, b2));
  }
  for (let step = 0; step < 160 && t < end; step++) {
    const f = field(ox + t * x, oy + t * y, oz + t * z);
    if (f < 2e-4) return t;
    t += f * 0.9;
  }
  return Infinity;
}
function shadowed(field, box, px, py, pz, lx, ly, lz, nx, ny, nz, minCos) {
  let x = lx - px, y = ly - py, z = lz - pz;
  const length = Math.sqrt(x * x + y * y + z * z);
  x /= length;
  y /= length;
  z /= length;
  if (nx * x + ny * y + nz * z < minCos) return true;
  return traceRay(field, box, px, py, pz, x, y, z, length) < length;
}
function roughMotion(truth2, about, seed, degrees, millimetres) {
  const random = seededRandom(seed);
  const axis = [random.gaussian(), random.gaussian(), random.gaussian()];
  const turn2 = rotationMotion(axis, degrees * Math.PI / 180);
  const centre = transformPoint(truth2, about[0], about[1], about[2]);
  const there = rotationMotion([0, 0, 1], 0, centre);
  const back = rotationMotion([0, 0, 1], 0, centre.map((v) => -v));
  const direction = [random.gaussian(), random.gaussian(), random.gaussian()];
  const l = Math.hypot(direction[0], direction[1], direction[2]) || 1;
  const shift = rotationMotion([0, 0, 1], 0, direction.map((v) => v / l * millimetres));
  return compose(shift, compose(there, compose(turn2, compose(back, truth2))));
}

// core/src/simulator/lamp.ts
var BOSSES = 9;
function lampField(x, y, z) {
  const body = ellipsoid(x, y, z - 19, 35, 33, 20.5);
  const spout = taperedCapsule(x, y, z, 24, 0, 18, 11, 60, 0, 27, 6.5);
  let d = smoothMin(body, spout, 7);
  const hx = x + 36, hz = z - 21;
  const ring = length2(length2(hx, hz) - 11.4, y) - 4.1;
  d = smoothMin(d, ring, 3);
  const radial = length2(x, y);
  const rim = length2(radial - 21, z - 36.4) - 2.6;
  d = smoothMin(d, rim, 2.5);
  const toRing = length2(radial - 28.2, z - 31);
  if (toRing < 2.3 + 1.2 + Math.max(d, 0)) {
    const sector = 2 * Math.PI / BOSSES;
    const a2 = Math.atan2(y, x);
    const folded = a2 - sector * Math.round(a2 / sector);
    d = smoothMin(d, length3(radial * Math.cos(folded) - 28.2, radial * Math.sin(folded), z - 31) - 2.3, 1.2);
  }
  const well = ellipsoid(x, y, z - 34, 19, 19, 21);
  d = smoothMax(d, -well, 2);
  const wick = taperedCapsule(x, y, z, 70, 0, 40, 3.4, 57, 0, 28, 2.6);
  d = smoothMax(d, -wick, 1);
  return smoothMax(d, -z, 1.5);
}
var OIL_LAMP = {
  name: "Oil lamp",
  number: "HQ-014",
  field: lampField,
  bounds: { min: [-52, -34, -0.5], max: [67, 34, 43] },
  genus: 1,
  lengthMm: 118
};
var DEMO_PIECES = { lamp: OIL_LAMP };

// core/src/operations/simulate.ts
var simulateTake = defineOperation({
  name: "take.simulate",
  version: 1,
  inputs: {},
  params: Joi10.object({ piece: Joi10.string().required(), take: Joi10.string().required(), seed: Joi10.number().integer().min(0).default(1) }),
  estimate: () => ({ work: 30, bytes: 2e8 }),
  run(_inputs, params, context) {
    const piece = DEMO_PIECES[params.piece];
    const plan = LAMP_TAKES.find((t) => t.name === params.take);
    if (!piece || !plan) throw new GeometryError("PARAMS", `The bench knows the pieces ${Object.keys(DEMO_PIECES).join(", ")} and the takes ${LAMP_TAKES.map((t) => t.name).join(", ")}.`);
    const { cloud } = captureTake(piece, plan, TABLETOP_DEVICE, params.seed, stage(context, 0, 1));
    return {
      outputs: { take: cloud },
      figures: { points: cloud.positions.length / 3, frames: plan.steps, elevationDeg: plan.elevationDeg, device: TABLETOP_DEVICE.name },
      findings: [{ id: "take.done", verdict: "sound", text: `${grouped(cloud.positions.length / 3)} points from ${plan.steps} frames, table included.` }]
    };
  },
  describe: (params, figures) => `Took \u201C${params.take}\u201D at the simulated bench: ${grouped(Number(figures.points))} points`
});

// core/src/formats/byte-reader.ts
var MAX_LINE = 1 << 20;
var decoder = new TextDecoder("utf-8");

// core/src/formats/kinds.ts
var EXTENSIONS = {
  ply: "ply",
  stl: "stl",
  obj: "obj",
  xyz: "xyz",
  txt: "xyz",
  csv: "xyz",
  asc: "xyz",
  pts: "xyz",
  glb: "glb"
};
var READ_EXTENSIONS = Object.keys(EXTENSIONS);

// core/src/formats/ply.ts
var MAX_CORNERS = 1 << 16;

// core/src/preview.ts
import { MeshoptSimplifier as MeshoptSimplifier2 } from "meshoptimizer";

// benchmarks/lib.ts
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
var here = dirname(fileURLToPath(import.meta.url));
function cleanTakes(fusedSpacingMm, seed = 1) {
  const device2 = { ...TABLETOP_DEVICE, fusedSpacingMm, noiseMm: 1e-9 };
  const captured = LAMP_TAKES.map((plan, i) => captureTake(OIL_LAMP, plan, device2, seed * 1e3 + i, quietContext()));
  const takes2 = captured.map(({ cloud }) => {
    const keep = [];
    for (let i = 0; i < cloud.positions.length / 3; i++) if (cloud.positions[i * 3 + 2] > 0.6) keep.push(i);
    return pickPoints(cloud, keep);
  });
  return { takes: takes2, truth: compose(captured[0].truth, invertRigid(captured[1].truth)), device: TABLETOP_DEVICE };
}
function withNoise(clean, device2, seed, keepNormals = false) {
  const random = seededRandom(seed);
  const positions = clean.positions.slice();
  for (let i = 0; i < positions.length / 3; i++) {
    const o = clean.frame[i] * 3;
    const d = [0, 1, 2].map((c) => positions[i * 3 + c] - clean.frameOrigins[o + c]);
    const range = Math.hypot(d[0], d[1], d[2]);
    const s = rangeNoiseMm(device2, range) * random.gaussian() / range;
    for (let c = 0; c < 3; c++) positions[i * 3 + c] += d[c] * s;
  }
  const { normals, ...rest } = clean;
  return { ...rest, positions, ...keepNormals && normals && { normals } };
}

// benchmarks/_t3.ts
var { takes, truth, device } = cleanTakes(0.365);
var [a, b] = takes;
var size = diagonal(boundsOf(a.positions));
var middle = [0, 1, 2].map((c) => (boundsOf(b.positions).min[c] + boundsOf(b.positions).max[c]) / 2);
var noisy = [withNoise(b, device, 1), withNoise(a, device, 2)].map(({ positions }) => ({ kind: "cloud", positions }));
var start = roughMotion(truth, middle, 3, 10, 0.05 * size);
var P = 0;
var M = 0;
for (let k = 0; k < 13; k++) {
  let t = performance.now();
  const r = noisy.map((c) => prepareCloud(c, quietContext()));
  const t1 = performance.now() - t;
  t = performance.now();
  matchFine(r[0], r[1], start, {}, quietContext());
  if (k > 2) {
    P += t1;
    M += performance.now() - t;
  }
}
console.log(P / 10, M / 10);
