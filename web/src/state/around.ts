// Looking around in a spherical shot: a flat picture of what lies in one direction, in which everything is drawn as ever.
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import type { Motion, Shape } from '../api/types'
import { apply, IDENTITY, inverse, multiplied, type Matrix } from '../viewer/geometry'
import { mapping, type Point, type Size } from '../viewer/mapping'
import { between, cutAtSeam, directionOf, gazeAt, onWide, planeOf, type Direction, type Gaze } from '../viewer/sphere'
import { valueAt } from './numbers'
import { useSelection } from './selection'
import { useSession } from './session'

const FIELD = { low: 30, high: 120 } // degrees that are seen from the left border to the right one
const UP = 90
const SHAPE = 9 / 16 // of the flat picture
const NEAR = 0.05 // what lies less far ahead than that is not drawn

export const DIRECTIONS: { label: string; yaw: number; pitch: number }[] = [
  { label: 'Front', yaw: 0, pitch: 0 },
  { label: 'Left', yaw: -90, pitch: 0 },
  { label: 'Right', yaw: 90, pitch: 0 },
  { label: 'Back', yaw: 180, pitch: 0 },
  { label: 'Up', yaw: 0, pitch: UP },
  { label: 'Down', yaw: 0, pitch: -UP },
]

export const useAround = defineStore('around', () => {
  const session = useSession()
  const selection = useSelection()
  const wanted = ref(true) // to look around, where there is something to look around in
  const yaw = ref(0)
  const pitch = ref(0)
  const field = ref(90)

  /** The size of the wide picture of the present shot; none where it is flat. */
  const sphere = computed<Size | null>(() => selection.shot?.sphere ?? null)
  /** The size that a clip of the present shot's shape has as a sphere; none where it is not twice as wide as high. */
  const mayBe = computed<Size | null>(() => {
    const { width, height } = selection.medium ?? {}
    return width && height && Math.abs(width - 2 * height) <= 2 ? { width, height } : null
  })
  const looking = computed(() => sphere.value !== null && wanted.value)
  /** Where somebody looks, as the server is told; none where the film is shown as it is. */
  const request = computed(() => (looking.value ? { yaw: yaw.value, pitch: pitch.value, field: field.value } : null))
  /** What the film shows of the sphere on the present frame, where that is a flat picture. */
  const shown = computed(() => {
    const shot = selection.shot
    if (!shot?.sphere || !shot.gaze) return null
    const at = selection.frame - shot.start
    const [y, p, r, f] = (['yaw', 'pitch', 'roll', 'field'] as const).map((name) => valueAt(shot.gaze![name]!, at))
    return { yaw: y, pitch: p, roll: r, field: f }
  })
  /** What is drawn now lies in this view; none on a flat shot, and on a wide picture. */
  const view = computed<Required<Gaze> | null>(() => {
    if (looking.value) return { yaw: yaw.value, pitch: pitch.value, roll: 0 }
    return shown.value && { yaw: shown.value.yaw, pitch: shown.value.pitch, roll: shown.value.roll }
  })
  const on = computed(() => view.value !== null)

  /** The picture on the screen, in pixels of the film, or of what is seen of the sphere. */
  const piece = computed<Size>(() => {
    if (looking.value && sphere.value) {
      const width = sphere.value.width / 2
      return { width, height: Math.round(width * SHAPE) }
    }
    return { width: session.document?.width ?? 1920, height: session.document?.height ?? 1080 }
  })

  /** Pixels of the clip, or of the flat picture that is drawn in, to those of the picture on the screen. */
  const map = computed<Matrix>(() => {
    if (on.value && sphere.value) {
      const [whole, seen] = [sphere.value, piece.value]
      const degrees = looking.value ? field.value : shown.value!.field
      const scale = (Math.PI * seen.width) / whole.width / Math.tan((degrees * Math.PI) / 360)
      const middle = whole.height / 2
      const flat = [scale, 0, seen.width / 2 - scale * middle, 0, scale, seen.height / 2 - scale * middle, 0, 0, 1]
      // The film may show its flat picture smaller, or elsewhere.
      return looking.value ? flat : multiplied(placed(seen), flat)
    }
    const { medium } = selection
    return placed(medium?.width && medium.height ? { width: medium.width, height: medium.height } : piece.value)
  })

  /** Pixels of the present shot's picture to those of the film. */
  function placed(clip: Size): Matrix {
    const { shot } = selection
    return mapping(piece.value, clip, shot?.place ?? null, selection.frame - (shot?.start ?? 0))
  }

  /** Take the present shot as spherical, or as flat. */
  function mark(spherical: boolean) {
    const shot = selection.shot?.id
    if (shot) void session.command({ do: 'set sphere', shot, sphere: spherical ? mayBe.value : null })
  }

  /** What takes something that was drawn along a view to the one that is seen now. */
  function turned(of: Gaze | null | undefined): Matrix {
    return of && view.value && sphere.value ? between(sphere.value, of, view.value) : IDENTITY
  }

  /** The direction of a point of something that was drawn along a view, after what carries it. */
  function direction(of: Gaze, carrier: Matrix, { x, y }: Point): Direction {
    const m = multiplied(inverse(planeOf(sphere.value!, of)), carrier)
    return [0, 3, 6].map((i) => m[i] * x + m[i + 1] * y + m[i + 2]) as Direction
  }

  /** The same as a pixel of the wide picture. */
  function wide(of: Gaze, carrier: Matrix, point: Point): Point {
    return onWide(sphere.value!, direction(of, carrier, point))
  }

  /** A point that is seen, as what is kept of the clip tells it: by its pixels, on a sphere by those of the wide picture. */
  const kept = (point: Point): Point => (view.value && sphere.value ? wide(view.value, IDENTITY, point) : point)

  /** A line through pixels of the clip as it is seen now: without what lies behind, and cut at the border of the wide picture. */
  function lines(points: Point[]): Point[][] {
    const [whole, along] = [sphere.value, view.value]
    if (!whole) return [points]
    if (!along) return cutAtSeam(whole, points)
    const plane = planeOf(whole, along)
    const pieces: Point[][] = [[]]
    // What lies in two pieces on the wide picture is closed along its border, where there is none.
    const onBorder = (point?: Point) => !!point && Math.min(point.x, whole.width - point.x) < 1
    for (const [i, point] of points.entries()) {
      const [x, y, z] = directionOf(whole, point)
      const far = plane[6] * x + plane[7] * y + plane[8] * z
      if (onBorder(point) && onBorder(points[i - 1])) pieces.push([])
      if (far < NEAR) pieces.push([])
      else {
        const at = (i: number) => (plane[i] * x + plane[i + 1] * y + plane[i + 2] * z) / far
        pieces[pieces.length - 1].push({ x: at(0), y: at(3) })
      }
    }
    return pieces.filter((piece) => piece.length)
  }

  /** The same of a closed one that lies around a pixel of the clip; on a sphere upright there, with sizes as at its equator. */
  function linesAround(middle: Point, points: Point[]): Point[][] {
    const whole = sphere.value
    if (!whole) return [[...points, points[0]]]
    const there = gazeAt(directionOf(whole, middle))
    const half = whole.height / 2
    const on = points.map(({ x, y }) => wide(there, IDENTITY, { x: x - middle.x + half, y: y - middle.y + half }))
    return lines([...on, on[0]])
  }

  /** How many pixels of a spherical film are one of the clip; none where the film is flat. */
  const ofFilm = computed(() => {
    const [whole, film] = [sphere.value, session.document]
    return whole && film && film.width === 2 * film.height && !selection.shot?.gaze ? film.width / whole.width : null
  })

  /** A pixel of a spherical film where it is seen, in pixels of the picture on the screen; none where it is not. */
  function fromFilm({ x, y }: Point): Point | null {
    if (!ofFilm.value) return null
    const seen = lines([{ x: x / ofFilm.value, y: y / ofFilm.value }])[0]?.[0]
    return seen ? apply(map.value, seen) : null
  }

  /** The other way round. */
  function toFilm(seen: Point): Point {
    const { x, y } = kept(apply(inverse(map.value), seen))
    return { x: x * (ofFilm.value ?? 1), y: y * (ofFilm.value ?? 1) }
  }

  function look(to: Gaze) {
    yaw.value = 180 - ((((180 - to.yaw) % 360) + 360) % 360)
    pitch.value = Math.min(Math.max(to.pitch, -UP), UP)
  }

  function lookAt(to: Direction) {
    wanted.value = true
    look(gazeAt(to))
  }

  /** Turn by as much as a drag over so many pixels of the picture on the screen. */
  function turn(dx: number, dy: number) {
    const degrees = field.value / piece.value.width
    look({ yaw: yaw.value - dx * degrees, pitch: pitch.value + dy * degrees })
  }

  function zoom(factor: number) {
    field.value = Math.min(Math.max(field.value / factor, FIELD.low), FIELD.high)
  }

  /** Whether something can be worked on as it is seen now: on the sphere while one looks around, else on a flat picture. */
  const within = (one: Shape | Motion) => !sphere.value || on.value === !!one.view

  // prettier-ignore
  return {
    wanted, yaw, pitch, field, sphere, mayBe, mark, looking, shown, on, request, view, piece, map,
    turned, direction, wide, kept, lines, linesAround, fromFilm, toFilm, look, lookAt, turn, zoom, within,
  }
})
