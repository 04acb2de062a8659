/**
 * Short names for the generated types. A field with a default may be left out of what is sent, but is always there in what
 * comes back: hence the Required.
 */
import type { components } from "./schema";

type Schemas = components["schemas"];
type Record_<T> = { [key: string]: T };

export type Hit = Required<Schemas["Hit"]>;
export type Chop = Required<Schemas["Chop"]>;
/** What differs from the defaults; see app/sounds. */
export type Sound = Omit<Schemas["Sound"], "chain"> & { chain?: Effect[] };
export type FullSound = Required<Sound>;
export type Layer = Required<Omit<Schemas["Layer"], "chop" | "sound">> & Voiced;
export type Zone = Omit<Schemas["Zone"], "chop"> & { chop: Chop };
type Voiced = { chop: Chop; sound: Sound };
export type Pad = Required<Omit<Schemas["Pad"], "chop" | "takes" | "layers" | "zones" | "sound" | "sends">> &
  Voiced & { takes: Chop[]; sends: Send[]; layers: Layer[]; zones: Zone[] };
export type Effect = Required<Schemas["Effect"]>;
export type Send = Required<Schemas["Send"]>;
export type Bus = Required<Omit<Schemas["Bus"], "chain" | "sends">> & { chain: Effect[]; sends: Send[] };
export type Section = Required<Schemas["Section"]>;
export type Thread = Required<Schemas["Thread"]>;
export type Cut = Required<Schemas["Cut"]>;
export type Lane = Required<Schemas["Lane"]>;
export type FeelUse = Required<Schemas["FeelUse"]>;
export type Feel = Required<Schemas["Feel"]>;
export type Recording = Required<Omit<Schemas["Recording"], "hits">> & { hits: Hit[] };
export type Pattern = Required<Omit<Schemas["Pattern"], "hits" | "lanes" | "recordings" | "feel">> & {
  hits: Hit[];
  lanes: Record_<Lane>;
  recordings: Recording[];
  feel: FeelUse | null;
};
export type Cutting = Required<Schemas["Cutting"]>;
export type Snap = Cutting["snap"];
export type Policy = Cutting["by"];
export type Held = Required<Omit<Schemas["Held"], "chop">> & { chop: Chop };
export type SliceFact = Schemas["SliceFact"];
export type FoundSlice = Schemas["FoundSlice"];
export type SearchReply = Schemas["SearchReply"];
export type SearchBody = Schemas["SearchBody"];
export type Favourite = Schemas["Favourite"];
export type Source = Required<Omit<Schemas["Source"], "cuts" | "origin" | "grid" | "credits" | "kin" | "cutting">> & {
  cutting: Cutting;
  cuts: Cut[];
  origin: Required<Omit<Schemas["Origin"], "marks">> & { marks: Required<Schemas["Mark"]>[] };
  credits: Required<Schemas["Credits"]>;
  grid: Required<Schemas["Grid"]> | null;
  kin: Required<Schemas["Kin"]> | null;
};
export type Pocket = Required<
  Omit<
    Schemas["Pocket"],
    "sources" | "pads" | "patterns" | "feels" | "buses" | "sections" | "threads" | "chain" | "key" | "tray" | "pages"
  >
> & {
  chain: Effect[];
  buses: Record_<Bus>;
  sections: Record_<Section>;
  threads: Record_<Thread>;
  tray: Held[];
  pages: Record_<string>;
  key: Schemas["Key"] | null;
  sources: Record_<Source>;
  pads: Record_<Pad>;
  patterns: Record_<Pattern>;
  feels: Record_<Feel>;
};
export type PocketState = Omit<Schemas["PocketState"], "pocket"> & { pocket: Pocket };
/** The kinds of records that a pocket holds by id. */
export type Records = Pick<Pocket, "sources" | "pads" | "patterns" | "feels" | "buses" | "sections" | "threads">;
export type Changes = { fields: Partial<Pocket> } & { [kind in keyof Records]: Record_<Records[kind][string] | null> };
export type EditReply = Omit<Schemas["EditReply"], "changes"> & { changes: Changes };
export type StaleProblem = Omit<Schemas["StaleProblem"], "state"> & { state: PocketState };
export type Edit = Schemas["EditRequest"]["edit"];
export type Sounds = Schemas["Sounds"];
export type Loop = Schemas["Loop"];
export type Voice = Schemas["Voice"];
export type Job = Schemas["Job"];
export type About = Schemas["About"];
export type Parameter = Schemas["Parameter"];
export type Hearing = Schemas["HearingReply"];
export type Worth = Schemas["WorthReply"];
export type TempoCandidate = Schemas["TempoCandidate"];
export type SettingInfo = Schemas["SettingInfo"];
export type EffectInfo = Schemas["EffectInfo"];
export type Settled = Schemas["SettledReply"];
export type SongWindow = Schemas["SongWindow"];
export type Recipe = Schemas["Recipe"];
export type Drawing = Schemas["DrawingReply"];
export type KeysReply = Schemas["KeysReply"];
export type ShapeReply = Schemas["ShapeReply"];
export type Problem = Schemas["Problem"];
export type Cleaning = Required<Schemas["Cleaning"]>;
export type BarFit = Schemas["BarFit"];
export type Role = NonNullable<Pad["role"]>;
export type UnreadableProblem = Schemas["UnreadableProblem"];
