// The board page's distances against those of the geometry library, for cases the caller brings (CASES, a JSON file).
import process from "node:process";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";

const script = readFileSync(
  new URL("../../vane_step/web/static/js/board/geometry.js", import.meta.url),
  "utf8",
);
const { elbow, pointSegment, segments, toShape } = await import(
  `data:text/javascript,${encodeURIComponent(script)}`
);
const cases = JSON.parse(readFileSync(process.env.CASES, "utf8"));
const near = (one, two, what) => assert.ok(Math.abs(one - two) < 1e-9, `${what}: ${one}, not ${two}`);

test("points and segments", () => {
  for (const { p, a, b, gap } of cases.points) near(pointSegment(p, a, b), gap, JSON.stringify([p, a, b]));
  for (const { a, b, c, d, gap } of cases.segments)
    near(segments(a, b, c, d), gap, JSON.stringify([a, b, c, d]));
});

test("shapes", () => {
  for (const { a, b, shape, gap } of cases.shapes)
    near(toShape(a, b, shape), gap, JSON.stringify([a, b, shape]));
});

test("elbows", () => {
  for (const { a, b } of cases.elbows) {
    for (const flip of [false, true]) {
      const way = elbow(a, b, flip);
      assert.deepEqual([way[0], way.at(-1)], [a, b]);
      const legs = way.slice(1).map((p, i) => [Math.abs(p[0] - way[i][0]), Math.abs(p[1] - way[i][1])]);
      for (const [x, y] of legs)
        assert.ok(Math.min(x, y) < 1e-9 || Math.abs(x - y) < 1e-9 || way.length === 2, `${a} ${b} ${way}`);
      // No way at 45 and 90 degrees is shorter.
      const [long, short] = [Math.abs(b[0] - a[0]), Math.abs(b[1] - a[1])].sort((m, n) => n - m);
      const length = legs.reduce((sum, [x, y]) => sum + Math.hypot(x, y), 0);
      assert.ok(length <= long - short + short * Math.SQRT2 + 1e-6);
    }
  }
});
