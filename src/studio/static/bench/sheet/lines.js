// Lines over the art: meshes, folded triangles, loose vertices, contours of weights.

import { scene, vertex } from '../page/scene.js';

export class Lines {
  constructor(canvas, camera) {
    this.canvas = canvas;
    this.camera = camera;
  }

  /** Mesh lines in pencil, folded triangles hatched, loose vertices as open rings, contours like a walker's map. */
  draw({ mesh, weights, parts, selectedBone }) {
    const ratio = devicePixelRatio;
    const { width, height } = this.camera;
    this.canvas.width = width * ratio;
    this.canvas.height = height * ratio;
    const context = this.canvas.getContext('2d');
    context.scale(ratio, ratio);
    if (!scene.geometry || (!mesh && !weights)) return;
    const inPart = membership(parts);
    if (mesh) {
      this.strokeEdges(context, inPart);
      this.hatchFolds(context, inPart);
      this.ringLoose(context, inPart);
    }
    if (weights) this.strokeContours(context, inPart, selectedBone);
  }

  strokeEdges(context, inPart) {
    const edges = scene.geometry.meshEdges;
    context.strokeStyle = 'rgba(43, 42, 51, .55)';
    context.lineWidth = 0.7;
    context.beginPath();
    for (let k = 0; k < edges.length; k += 2) {
      if (!inPart(edges[k])) continue;
      context.moveTo(...this.camera.toScreen(...vertex(edges[k])));
      context.lineTo(...this.camera.toScreen(...vertex(edges[k + 1])));
    }
    context.stroke();
  }

  hatchFolds(context, inPart) {
    const { indices, rest } = scene.geometry;
    context.strokeStyle = '#7A3B69';
    context.lineWidth = 1.4;
    context.beginPath();
    for (let k = 0; k < indices.length; k += 3) {
      const [a, b, c] = [indices[k], indices[k + 1], indices[k + 2]];
      if (!inPart(a) || area(rest, a, b, c) * area(scene.vertices, a, b, c) > 0) continue;
      const corners = [a, b, c].map((one) => this.camera.toScreen(...vertex(one)));
      for (let t = 0; t <= 1; t += 0.25) {
        context.moveTo(
          corners[0][0] + t * (corners[1][0] - corners[0][0]),
          corners[0][1] + t * (corners[1][1] - corners[0][1]),
        );
        context.lineTo(
          corners[0][0] + t * (corners[2][0] - corners[0][0]),
          corners[0][1] + t * (corners[2][1] - corners[0][1]),
        );
      }
    }
    context.stroke();
  }

  ringLoose(context, inPart) {
    const tint = scene.geometry.tint;
    context.strokeStyle = '#7A3B69';
    context.lineWidth = 1.6;
    for (let k = 0; k < tint.length / 4; k += 1) {
      if (tint[4 * k + 3] || !inPart(k)) continue;
      const [x, y] = this.camera.toScreen(...vertex(k));
      context.beginPath();
      context.arc(x, y, 4, 0, 7);
      context.stroke();
    }
  }

  strokeContours(context, inPart, selectedBone) {
    const { contourEdges, contourShares, contourLevels, contourBones } = scene.geometry;
    const only = selectedBone ? scene.boneIndex[selectedBone] : -1;
    const some = only >= 0 && contourBones.includes(only);
    for (const level of [0.25, 0.5, 0.75]) {
      context.lineWidth = level === 0.5 ? 2 : 1;
      context.strokeStyle = 'rgba(43, 42, 51, .8)';
      context.beginPath();
      for (let k = 0; k < contourLevels.length; k += 1) {
        if (
          Math.abs(contourLevels[k] - level) > 0.01 ||
          (some && contourBones[k] !== only) ||
          !inPart(contourEdges[4 * k])
        )
          continue;
        context.moveTo(...this.crossing(contourEdges, contourShares, k, 0));
        context.lineTo(...this.crossing(contourEdges, contourShares, k, 1));
      }
      context.stroke();
    }
  }

  crossing(edges, shares, k, end) {
    const [ax, ay] = vertex(edges[4 * k + 2 * end]);
    const [bx, by] = vertex(edges[4 * k + 2 * end + 1]);
    const t = shares[2 * k + end];
    return this.camera.toScreen(ax + t * (bx - ax), ay + t * (by - ay));
  }
}

function membership(parts) {
  if (!parts) return () => true;
  const ranges = parts.map((ref) => scene.blocks[ref]).filter(Boolean);
  return (index) => ranges.some(([start, count]) => index >= start && index < start + count);
}

function area(points, a, b, c) {
  return (
    (points[2 * b] - points[2 * a]) * (points[2 * c + 1] - points[2 * a + 1]) -
    (points[2 * b + 1] - points[2 * a + 1]) * (points[2 * c] - points[2 * a])
  );
}
