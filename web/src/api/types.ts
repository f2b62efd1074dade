// Names for the parts of the contract that the screens use.
import type { components } from './schema'

type Schemas = components['schemas']
// The server gives everything an id; only what is sent may lack one.
type WithId<T> = Omit<T, 'id'> & { id: string }

export type Look = WithId<Schemas['Look']>
export type Part = WithId<Schemas['Ellipse']>
export type Motion = WithId<Schemas['Motion']>
export type Region = Omit<WithId<Schemas['Region']>, 'parts' | 'inside' | 'outside'> & {
  parts: Part[]
  inside: Look[]
  outside: Look[]
}
export type Shot = Omit<WithId<Schemas['Shot']>, 'regions' | 'motions'> & { regions: Region[]; motions: Motion[] }
export type Layer = Omit<WithId<Schemas['Layer']>, 'items'> & { items: Shot[] }
export type Project = Omit<Schemas['Project'], 'layers'> & { layers: Layer[] }
export type ProjectState = Omit<Schemas['ProjectState'], 'document'> & { document: Project }

export type Facts = Schemas['Facts']
export type Keyed = Schemas['Keyed']
export type Lanes = Schemas['Lanes']
export type LookKind = Schemas['LookKind']
export type LookSetting = Schemas['LookSetting']
export type Medium = Schemas['MediumInfo']
export type OpenPoint = Schemas['OpenPoint']
export type PictureRequest = Schemas['PictureRequest']
export type Pose = Schemas['Pose']
export type Poses = Schemas['Poses']
export type ProjectLine = Schemas['ProjectLine']
export type RegionLane = Schemas['RegionLane']
export type Run = Schemas['Run']
export type Trial = Schemas['Trial']
export type Work = Schemas['WorkInfo']
export type View = NonNullable<PictureRequest['view']>
