// Names for the parts of the contract that the screens use.
import type { components } from './schema'

type Schemas = components['schemas']
// The server gives everything an id; only what is sent may lack one.
type WithId<T> = Omit<T, 'id'> & { id: string }

export type Look = WithId<Schemas['Look']>
export type Ellipse = WithId<Schemas['Ellipse']>
export type Rectangle = WithId<Schemas['Rectangle']>
export type Path = WithId<Schemas['Path']>
export type Horizon = WithId<Schemas['Horizon']>
export type Stroke = WithId<Schemas['Stroke']>
export type CutOut = Omit<WithId<Schemas['CutOut']>, 'strokes'> & { strokes: Stroke[] }
export type Sort = NonNullable<CutOut['sort']>
export type Piece = NonNullable<CutOut['piece']>
export type Faces = Required<WithId<Schemas['Faces']>>
export type FoundMark = Schemas['FoundMark']
export type PlateInfo = Schemas['PlateInfo']
export type FoundThing = Schemas['FoundInfo']
export type Lettering = Required<WithId<Schemas['Lettering']>>
export type MatteClip = WithId<Schemas['MatteClip']>
export type Shape = Ellipse | Rectangle | Path | Horizon
export type Colours = Required<WithId<Schemas['Colours']>>
export type Distribution = Schemas['Distribution']
export type Part = Shape | CutOut | MatteClip | Faces | Lettering | Colours
export type Kind = Shape['kind']
export type How = Part['how']
export type Tracker = WithId<Schemas['Tracker']>
export type Motion = Omit<WithId<Schemas['Motion']>, 'trackers'> & { trackers: Tracker[] }
export type Model = Motion['model']
export type OutlinePoint = Schemas['Point']
export type Outline = OutlinePoint[] | Schemas['KeyedOutline']
export type Ease = Schemas['Key']['ease']
export type Edit = Schemas['Change']['edit']
export type Edge = Required<Schemas['Edge']>
export type Carried = Schemas['Carried']
export type Region = Omit<WithId<Schemas['Region']>, 'parts' | 'edge' | 'inside' | 'outside'> & {
  parts: Part[]
  edge: Edge
  inside: Look[]
  outside: Look[]
}
export type SoundSpan = Required<WithId<Schemas['SoundSpan']>>
export type Shot = Omit<Required<WithId<Schemas['Shot']>>, 'kind' | 'regions' | 'motions' | 'sounds'> & {
  regions: Region[]
  motions: Motion[]
  sounds: SoundSpan[]
  kind: 'shot'
}
export type Title = Required<WithId<Schemas['Title']>>
export type Solid = Required<WithId<Schemas['Solid']>>
export type Item = Shot | Title | Solid
export type Placed = Required<Schemas['Placing']>
export type Blend = Item['blend']
export type Layer = Omit<WithId<Schemas['Layer']>, 'items'> & { items: Item[]; on: boolean }
export type Project = Omit<Schemas['Project'], 'layers'> & { layers: Layer[] }
export type ProjectState = Omit<Schemas['ProjectState'], 'document'> & { document: Project }

export type Facts = Schemas['Facts']
export type Keyed = Schemas['Keyed']
export type Lanes = Schemas['Lanes']
export type SourceRun = Schemas['SourceRun']
export type LookSetting = Schemas['LookSetting']
export type PixelValue = Schemas['Value']
export type Recipe = Schemas['Recipe']
export type RecipeInfo = Schemas['RecipeInfo']
export type ScopeKind = Schemas['ScopeRequest']['kind']
export type Medium = Schemas['MediumInfo']
export type ProofInfo = Schemas['ProofInfo']
export type Gap = Schemas['OpenPlace']
export type Place = Schemas['Whereabouts']
export type Remark = Schemas['Remark']
export type RegionCoverage = Schemas['RegionCoverage']
export type OpenPoint = Schemas['OpenPoint']
export type PictureRequest = Schemas['PictureRequest']
export type Pose = Required<Schemas['Pose']>
export type ProjectLine = Schemas['ProjectLine']
export type RegionLane = Schemas['RegionLane']
export type Run = Schemas['Run']
export type Trial = Schemas['Trial']
export type Work = Schemas['WorkInfo']
export type NewExport = Required<Omit<Schemas['NewExport'], 'encoding'>> & { encoding: Required<Schemas['Encoding']> }
export type About = Schemas['About']
export type Arranging = Schemas['ArrangeRequest']['do']
export type ArrangeRequest = Schemas['ArrangeRequest']
export type SetUp = Schemas['BehindRequest']['what']
export type ShotLine = Schemas['ShotLine']
export type PeopleInfo = Schemas['PeopleInfo']
export type PersonInfo = Schemas['PersonInfo']
export type FaceInfo = Schemas['FaceInfo']
export type QuestionInfo = Schemas['QuestionInfo']
export type AlikeFound = Schemas['AlikeFound']
export type ProtectedFilm = Schemas['ProtectedFilm']
