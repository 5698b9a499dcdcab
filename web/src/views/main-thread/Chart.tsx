import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { Lane, Tracks } from '../../api/tracks';
import type { Analysis } from '../../api/queries';
import { ms, WORK } from '../../parts/format';
import { shortName } from '../../parts/names';
import { TimeAxis } from '../../parts/TimeAxis';
import { clampSpan, moveBy, zoomAt, type SetSpan, type Span } from '../../parts/useSpan';
import { barAt, drawLane, ROW_HEIGHT, type Paints } from './draw';

const MOST_TASK_ROWS = 9;
const MOST_STACK_ROWS = 22;
const GAP = 20;

/** A bar that is pointed at or picked. */
export interface Picked {
  lane: 'tasks' | 'stacks';
  bar: number;
}

function paintsOf(element: HTMLElement, tracks: Tracks): Paints {
  const style = getComputedStyle(element);
  const resolve = (value: string) => {
    const name = /var\((--[\w-]+)\)/.exec(value)?.[1];
    return name ? style.getPropertyValue(name).trim() : value;
  };
  const night = document.documentElement.dataset.theme === 'night';
  return {
    kinds: tracks.head.kinds.map((k) => resolve(WORK[k].color)),
    sheet: resolve('var(--sheet)'),
    ink: resolve('var(--ink)'),
    onBar: night ? '#10151f' : '#ffffff',
  };
}

/**
 * The main thread to the last call: tasks and what runs in them, and below, on the same axis, the call
 * stacks from the samples. Drag to move, wheel with Ctrl to zoom, Shift and drag to choose a stretch.
 */
export function Chart(props: {
  load: Analysis;
  tracks: Tracks;
  span: Span;
  end: number;
  width: number;
  chosen: Span | null;
  picked: Picked | null;
  onSpan: SetSpan;
  onChoose: (next: Span | null) => void;
  onPick: (next: Picked | null) => void;
}) {
  const { load, tracks, end, width, onSpan } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const drawn = useRef(0);
  // Asking for styles makes the browser compute them; they change with the theme only.
  const colours = useRef<{ theme: string | undefined; paints: Paints } | null>(null);
  // While dragging or turning the wheel the picture follows at once; the address only when it is over.
  const [live, setLive] = useState<Span | null>(null);
  const span = live ?? props.span;
  // The mouse may move many times between two frames; the picture follows once a frame.
  const next = useRef<Span | null>(null);
  const follow = useCallback((to: Span) => {
    if (next.current === null) {
      requestAnimationFrame(() => {
        setLive(next.current);
        next.current = null;
      });
    }
    next.current = to;
  }, []);
  const [hover, setHover] = useState<(Picked & { x: number; y: number }) | null>(null);
  const [marking, setMarking] = useState<[number, number] | null>(null);
  const taskRows = Math.min(MOST_TASK_ROWS, tracks.tasks.rows);
  const stackRows = Math.min(MOST_STACK_ROWS, tracks.stacks.rows);
  const stacksTop = taskRows * ROW_HEIGHT + (stackRows ? GAP : 0);
  const height = stacksTop + stackRows * ROW_HEIGHT + 4;
  const theme = document.documentElement.dataset.theme;
  const [, again] = useState(0);
  useEffect(() => {
    const observer = new MutationObserver(() => again((n) => n + 1));
    observer.observe(document.documentElement, { attributes: true, attributeFilter: ['data-theme'] });
    return () => observer.disconnect();
  }, []);

  const shapes = useMemo(() => ({ stacksTop, taskRows, stackRows, height }), [stacksTop, taskRows, stackRows, height]);
  const draw = useCallback(
    (now: Span) => {
      const element = canvas.current;
      const context = element?.getContext('2d');
      if (!element || !context) return;
      const began = performance.now();
      const ratio = devicePixelRatio || 1;
      const [w, h] = [Math.round(width * ratio), Math.round(shapes.height * ratio)];
      if (element.width !== w || element.height !== h) {
        element.width = w;
        element.height = h;
      }
      const themeNow = document.documentElement.dataset.theme;
      const known = colours.current?.theme === themeNow ? colours.current : null;
      const { paints } = known ?? (colours.current = { theme: themeNow, paints: paintsOf(element, tracks) });
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      context.clearRect(0, 0, width, shapes.height);
      context.font = '11px "Public Sans Variable", sans-serif';
      drawLane(context, tracks, tracks.tasks, now, width, 0, shapes.taskRows, paints);
      drawLane(context, tracks, tracks.stacks, now, width, shapes.stacksTop, shapes.stackRows, paints);
      const x = (at: number) => ((at - now.from) / (now.to - now.from)) * width;
      context.fillStyle = paints.ink;
      for (const at of [load.metrics.fcp_ms, load.metrics.lcp_ms]) {
        if (at !== null && at >= now.from && at <= now.to) context.fillRect(Math.round(x(at)), 0, 1, shapes.height);
      }
      // The bench reads these; they must not pile up while somebody works.
      if (++drawn.current % 1000 === 0) performance.clearMeasures('chart');
      performance.measure('chart', { start: began, end: performance.now() });
    },
    [tracks, width, shapes, load.metrics.fcp_ms, load.metrics.lcp_ms],
  );
  useLayoutEffect(() => draw(span), [draw, span, theme]);

  // The wheel must not scroll the page while it zooms, and React's handlers cannot hinder that.
  const latest = useRef({ span, end, width, onSpan });
  useEffect(() => {
    latest.current = { span, end, width, onSpan };
  });
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    let settle: ReturnType<typeof setTimeout> | undefined;
    // Where the wheel has led so far; the picture may be a frame behind.
    let moving: Span | null = null;
    const onWheel = (e: WheelEvent) => {
      const now = latest.current;
      if (!e.ctrlKey && !e.metaKey && Math.abs(e.deltaX) <= Math.abs(e.deltaY)) return;
      e.preventDefault();
      const offset = e.clientX - element.getBoundingClientRect().left;
      const from = moving ?? now.span;
      moving =
        e.ctrlKey || e.metaKey
          ? zoomAt(from, from.from + (offset / now.width) * (from.to - from.from), Math.exp(e.deltaY * 0.002), now.end)
          : clampSpan(shift(from, (e.deltaX / now.width) * (from.to - from.from)), now.end);
      follow(moving);
      clearTimeout(settle);
      settle = setTimeout(() => {
        if (moving) latest.current.onSpan(moving);
        moving = null;
        setLive(null);
      }, 160);
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => {
      clearTimeout(settle);
      element.removeEventListener('wheel', onWheel);
    };
  }, [follow]);

  const timeAt = (offset: number) => span.from + (offset / width) * (span.to - span.from);
  const find = (offsetX: number, offsetY: number): Picked | null => {
    const slack = (1.5 / width) * (span.to - span.from);
    const inStacks = offsetY >= stacksTop && stackRows > 0;
    const lane: Lane = inStacks ? tracks.stacks : tracks.tasks;
    const depth = Math.floor((offsetY - (inStacks ? stacksTop : 0)) / ROW_HEIGHT);
    if (!inStacks && depth >= taskRows) return null;
    const bar = barAt(lane, depth, timeAt(offsetX), slack);
    return bar === null ? null : { lane: inStacks ? 'stacks' : 'tasks', bar };
  };
  const grabbed = useRef<{ x: number; span: Span; moved: boolean; mark: boolean } | null>(null);
  const place = (e: React.PointerEvent) => {
    const box = e.currentTarget.getBoundingClientRect();
    return [e.clientX - box.left, e.clientY - box.top] as const;
  };
  const x = (at: number) => ((at - span.from) / (span.to - span.from)) * width;
  const outline = (which: Picked | null) => {
    if (!which) return null;
    const lane = tracks[which.lane];
    const start = lane.start[which.bar] ?? 0;
    const left = Math.max(0, x(start));
    const right = Math.min(width, x(start + (lane.duration[which.bar] ?? 0)));
    const top = (which.lane === 'stacks' ? stacksTop : 0) + (lane.depth[which.bar] ?? 0) * ROW_HEIGHT;
    return right < 0 || left > width ? null : { left, top, width: Math.max(3, right - left), height: ROW_HEIGHT - 2 };
  };
  const band = marking ? ([...marking].sort((a, b) => a - b) as [number, number]) : null;
  const chosen = band ? { from: timeAt(band[0]), to: timeAt(band[1]) } : props.chosen;
  return (
    <div>
      <TimeAxis load={load} span={span} width={width} end={end} onSpan={onSpan} />
      <div
        className="relative border-b border-rule-strong"
        tabIndex={0}
        role="application"
        aria-label="Tasks and call stacks on the time axis. Arrow keys move, plus and minus zoom; the tables below hold the same figures."
        onKeyDown={(e) => {
          const moves: Record<string, () => void> = {
            ArrowLeft: () => onSpan((now) => moveBy(now, -0.2, end)),
            ArrowRight: () => onSpan((now) => moveBy(now, 0.2, end)),
            Escape: () => props.onChoose(null),
          };
          const move = moves[e.key];
          if (move) {
            e.preventDefault();
            e.stopPropagation();
            move();
          }
        }}
      >
        <canvas
          ref={canvas}
          style={{ width, height, touchAction: 'pan-y' }}
          className="block cursor-grab"
          onPointerDown={(e) => {
            const [px] = place(e);
            e.currentTarget.setPointerCapture(e.pointerId);
            grabbed.current = { x: px, span, moved: false, mark: e.shiftKey };
            if (e.shiftKey) setMarking([px, px]);
          }}
          onPointerMove={(e) => {
            const [px, py] = place(e);
            const held = grabbed.current;
            if (!held) {
              const found = find(px, py);
              setHover(found ? { ...found, x: px, y: py } : null);
              return;
            }
            if (Math.abs(px - held.x) > 3) held.moved = true;
            if (!held.moved) return;
            setHover(null);
            if (held.mark) setMarking([held.x, px]);
            else follow(clampSpan(shift(held.span, ((held.x - px) / width) * (held.span.to - held.span.from)), end));
          }}
          onPointerUp={(e) => {
            const [px, py] = place(e);
            const held = grabbed.current;
            grabbed.current = null;
            if (!held) return;
            if (held.mark && held.moved) {
              const [a, b] = [Math.min(held.x, px), Math.max(held.x, px)];
              props.onChoose(clampSpan({ from: timeAt(a), to: timeAt(b) }, end));
            } else if (held.moved) {
              onSpan(span);
              setLive(null);
            } else {
              props.onPick(find(px, py));
            }
            setMarking(null);
          }}
          onPointerLeave={() => setHover(null)}
          onDoubleClick={(e) => {
            const box = e.currentTarget.getBoundingClientRect();
            const found = find(e.clientX - box.left, e.clientY - box.top);
            if (!found) return;
            const lane = tracks[found.lane];
            const start = lane.start[found.bar] ?? 0;
            const length = lane.duration[found.bar] ?? 1;
            onSpan(clampSpan({ from: start - length * 0.1, to: start + length * 1.1 }, end));
          }}
        />
        {stackRows > 0 && (
          <span
            className="pointer-events-none absolute left-0 text-[12px] text-ink-2"
            style={{ top: taskRows * ROW_HEIGHT + 1 }}
          >
            call stacks, from the samples
          </span>
        )}
        {chosen && (
          <span
            aria-hidden
            className="pointer-events-none absolute inset-y-0 border-x border-accent bg-accent/10"
            style={{
              left: Math.max(0, x(chosen.from)),
              width: Math.max(1, Math.min(width, x(chosen.to)) - Math.max(0, x(chosen.from))),
            }}
          />
        )}
        {[outline(props.picked), outline(hover)].map(
          (box, i) =>
            box && (
              <span
                key={i}
                aria-hidden
                className={`pointer-events-none absolute border-2 ${i ? 'border-ink/50' : 'border-ink'}`}
                style={box}
              />
            ),
        )}
        {hover && <HoverNote tracks={tracks} hover={hover} width={width} />}
      </div>
    </div>
  );
}

const shift = (span: Span, by: number): Span => ({ from: span.from + by, to: span.to + by });

function HoverNote({
  tracks,
  hover,
  width,
}: {
  tracks: Tracks;
  hover: Picked & { x: number; y: number };
  width: number;
}) {
  const lane = tracks[hover.lane];
  const label = tracks.head.labels[lane.label[hover.bar] ?? 0];
  const kind = tracks.head.kinds[lane.kind[hover.bar] ?? 0];
  if (!label) return null;
  return (
    <div
      role="status"
      className="pointer-events-none absolute z-10 w-[250px] rounded border border-rule-strong bg-sheet px-2.5 py-1.5 text-[12.5px] leading-snug shadow-md"
      style={{ left: Math.max(0, Math.min(hover.x + 12, width - 252)), top: hover.y + 16 }}
    >
      <strong className="[overflow-wrap:anywhere]">{label.text}</strong>{' '}
      <span className="whitespace-nowrap">
        {(lane.duration[hover.bar] ?? 0) < 10
          ? `${(lane.duration[hover.bar] ?? 0).toFixed(2)} ms`
          : ms(lane.duration[hover.bar])}
      </span>
      {label.url && (
        <span className="block truncate font-mono text-[12px] text-ink-2">
          {shortName(label.url)}
          {label.line ? `:${label.line}` : ''}
        </span>
      )}
      <span className="block text-ink-2">
        {kind ? WORK[kind].words : ''}, {tracks.head.owners[label.owner]?.name}, from {ms(lane.start[hover.bar])}
      </span>
    </div>
  );
}
