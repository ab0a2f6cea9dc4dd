/** Typed calls to the API. A server that cannot be reached is told apart from one that says no. */
import createClient from 'openapi-fetch'
import { health } from './health'
import type { components, paths } from './schema'

type Schemas = components['schemas']
export type Account = Schemas['Account']
export type Member = Schemas['Member']
export type FactorView = Schemas['FactorView']
export type PeerView = Schemas['PeerView']
export type HookRow = Schemas['HookRow']
export type RetentionView = Schemas['RetentionView']
export type FactorBegun = Schemas['FactorBegun']
export type SessionView = Schemas['SessionView']
export type TokenRow = Schemas['TokenRow']
export type Access = Required<Schemas['AccessBody']>
export type Answers = Required<Omit<Schemas['BoardAnswers'], 'channels'>> & { channels: Channel[] }
export type Channel = Required<Schemas['ChannelAnswer']>
export type Built = Schemas['BuiltView']
export type Action = Schemas['ActionView']
export type Arrangement = Schemas['Arrangement']
export type Board = Schemas['Board']
export type BoardChannel = Schemas['BoardChannel']
export type BoardSlot = Schemas['BoardSlot']
export type BoardSocket = Schemas['BoardSocket']
export type CeilingStatement = Schemas['StatementView']
export type CeilingView = Schemas['CeilingView']
export type Cure = Schemas['CureView']
export type Question = NonNullable<PlanView['questions']>[number]
export type Difference = Schemas['Difference']
export type Evaluation = Schemas['Evaluation']
export type Finding = Schemas['Finding']
export type Fleet = Schemas['Fleet']
export type TakenTable = Schemas['TakenTable']
export type Job = Schemas['JobView']
export type JobStep = Schemas['StepRow']
export type ServiceView = Schemas['ServiceView']
export type ServiceKind = 'redfish' | 'snmp'
export type Intake = Schemas['Intake']
export type Label = Schemas['Label']
export type MachineLine = Schemas['MachineLine']
export type MachinePage = Schemas['MachinePage']
export type MachineView = Schemas['MachineView']
export type Match = Schemas['Match']
export type TakenList = Schemas['TakenList']
export type WaitingModel = Schemas['WaitingModel']
export type PartLine = Schemas['PartLine']
export type PartView = Schemas['PartView']
export type ModuleOfPart = Schemas['ModuleOfPart']
export type Module = Schemas['Module']
export type HistoryLine = Schemas['HistoryLine']
export type FilledModule = Schemas['FilledModule']
export type Order = Schemas['PurchaseView']
export type Desk = Schemas['DeskView']
export type Round = Schemas['RoundView']
export type RoundLine = Schemas['RoundBrief']
export type Buying = Schemas['BuyingView']
export type BuyingLine = Schemas['LineToBuy']
export type Staging = Schemas['StagingView']
export type Brief = Schemas['Brief']
export type PlanBrief = Schemas['PlanBrief']
export type PlanView = Schemas['PlanView']
export type Route = Schemas['RouteView']
export type RoutesView = Schemas['RoutesView']
export type SizingView = Schemas['SizingView']
export type SymptomsView = Schemas['SymptomsView']
export type Beside = Schemas['Beside']
export type Sizing = Schemas['Sizing']
export type Totals = Schemas['TotalsView']
export type PriceAt = Schemas['PriceAt']
export type Wishes = Schemas['WishesDoc']
export type Shelf = Schemas['ShelfView']
export type StockLine = Schemas['StockView']
export type Offer = Schemas['OfferView']
export type Exhibit = Schemas['ExhibitView']
export type Calibration = Schemas['CalibrationView']
export type EvidenceNumber = Schemas['NumberView']
export type Belief = Schemas['BeliefView']
export type More = NonNullable<Schemas['MoreView']>
export type LibraryLine = Schemas['LibraryLine']
export type SheetPage = Schemas['SheetPage']
export type Tried = Schemas['Tried']
export type OtherModel = Schemas['OtherModel']
export type WaitingGroup = Schemas['WaitingGroup']
export type Worth = Schemas['WorthView']
export type SameWay = Schemas['SameTotalView']
export type Money = Schemas['MoneySettings']
export type Problem = Schemas['Problem']
export type Proof = Schemas['ProofView']
export type Faults = Schemas['FaultView']
export type FaultTrial = Schemas['NextBoot']
export type Rejudged = Schemas['Rejudged']
export type Way = Schemas['Way']
export type DeskCounts = Schemas['DeskCounts']
export type Trail = Schemas['Trail']
export type Twins = Schemas['Twins']
export type NewerSheet = Schemas['NewerSheet']
export type Risk = Schemas['RiskView']
export type RunPreview = Schemas['PreviewView']
export type RunStep = Schemas['StepView']
export type RunView = Schemas['RunView']
export type SoakView = Schemas['SoakView']
export type SlotDifference = Schemas['SlotDifference']
export type Severity = Schemas['Severity']
export type SheetRow = Schemas['SheetRow']
export type SeenText = Schemas['SeenText']
export type DraftView = Schemas['DraftView']
export type SheetQuestion = Schemas['SheetQuestion']
export type Ask = Schemas['Ask']
export type Shape = Schemas['Shape']
export type ClauseChange = Schemas['ClauseChange']
export type ComingLibrary = Schemas['ComingLibrary']
export type SampleFill = Schemas['SampleFill']
export type SheetAnswer = Schemas['SheetAnswer']
export type SheetView = Schemas['SheetView']
export type Found = Schemas['Hit']
export type Suggestion = Schemas['Suggestion']
export type Trial = Schemas['TrialView']
export type Target = Schemas['Target']
/** What is in a slot: a module, or nobody knows what. An empty slot has no entry. */
export type Occupant = Module | 'unknown'
export type Layout = Record<string, Occupant>

/** The server, or its database, cannot be reached: what was asked for was not done and can be asked again. */
export class Unreachable extends Error {}

/** The server answered and said no; `problem` says why. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem,
  ) {
    super(problem.detail)
  }
}

export const api = createClient<paths>({
  baseUrl: '/',
  fetch: async (request) => {
    try {
      const response = await fetch(request)
      // Database down, or busy: which of them the answer says.
      if (response.status === 503) health.lost(await detailOf(response.clone()))
      return response
    } catch {
      health.lost('Umbrak cannot be reached.')
      throw new Unreachable('Umbrak cannot be reached.')
    }
  },
  headers: { Accept: 'application/json' },
})

async function detailOf(response: Response): Promise<string> {
  try {
    return ((await response.json()) as Problem).detail
  } catch {
    return 'The database cannot be reached.' // a proxy's own words are none of ours
  }
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** The answer's data. Throws Unreachable or Refusal. */
export async function ask<T>(call: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await call
  if (response.status === 503) throw new Unreachable('The database cannot be reached.')
  if (!response.ok) throw new Refusal(response.status, error as Problem)
  return data as T
}

/** What went wrong, in words for people. */
export function wordsOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}

/** Everything that is wrong with what was sent, in words for people. */
export function faultsOf(error: unknown): string {
  return error instanceof Refusal && error.problem.errors?.length
    ? error.problem.errors.map((e) => e.message).join(' ')
    : wordsOf(error)
}
