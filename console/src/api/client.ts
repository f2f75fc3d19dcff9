import createClient from 'openapi-fetch';
import type { components, paths } from './schema.gen';

// The types of the interface, from the same document that the service is described by.
type Schemas = components['schemas'];
export type SetView = Schemas['Set'];
export type Side = Schemas['Side'];
export type Definition = Schemas['Definition'];
export type KeyPart = Schemas['KeyPart'];
export type Field = Schemas['Field'];
export type Sieve = Schemas['Sieve'];
export type Summary = Schemas['Summary'];
export type BalanceAmount = Schemas['BalanceAmount'];
export type Currency = NonNullable<Schemas['Definition']['currency']>;
export type Counts = Schemas['Counts'];
export type Run = Schemas['Run'];
export type Entry = Schemas['Entry'];
export type RecordView = Schemas['Record'];
export type Job = Schemas['Job'];
export type Problem = Schemas['Problem'];
export type Snapshot = Schemas['Snapshot'];
export type Choices = Schemas['IntakeChoices'];
export type Guess = Schemas['IntakeGuess'];
export type Preview = Schemas['Preview'];
export type SourceRef = Schemas['SourceRef'];
export type Recipe = Schemas['Recipe'];
export type Control = Schemas['Control'];
export type Held = Schemas['Held'];
export type Finding = Schemas['TypingFinding'];
export type ColumnProfile = Schemas['ProfileColumn'];
export type Changes = Schemas['Changes'];
export type Upload = Schemas['Upload'];
export type ComputedColumn = Schemas['ExpressionColumn'];
export type Advice = Schemas['Advice'];
export type Diagnosis = Schemas['Diagnosis'];
export type Cause = Schemas['Cause'];
export type Way = Schemas['Way'];
export type Effect = Schemas['ReadingEffect'];
export type Near = Schemas['Near'];
export type Suggested = Schemas['Suggested'];
export type Crosswalk = Schemas['Crosswalk'];
export type Acceptance = Schemas['Acceptance'];
export type KeyPair = Schemas['KeyPair'];
export type Decision = Schemas['ApiDecideRequest'];
export type RepeatedKeys = Schemas['Repeated'];
export type Lookup = Schemas['ReadingList'];
export type Look = Schemas['Look'];
export type Ask = Schemas['Ask'];
export type Rows = Schemas['Rows'];
export type Row = Schemas['Row'];
export type RowColumn = Schemas['RowColumn'];
export type Totals = Schemas['Totals'];
export type SortBy = Schemas['SortBy'];
export type Alignment = Schemas['ComparisonAlignment'];
export type AlignedPair = Schemas['ComparisonAlignedPair'];
export type ComparisonCount = Schemas['ComparisonCount'];
export type WholeCounts = Schemas['WholeCounts'];
export type TriedFilter = Schemas['TriedFilter'];
export type Chain = Schemas['Chain'];
export type ChainNode = Schemas['ChainNode'];
export type PreviewPart = Schemas['PreviewPart'];
export type Connection = Schemas['Connection'];
export type Person = Schemas['Person'];
export type Token = Schemas['Token'];
export type Invited = Schemas['Invited'];
export type Work = Schemas['Work'];
export type WorkChange = Schemas['ApiEntryChange'];
export type Done = Schemas['Done'];
export type SignStep = Schemas['ApiSignRequest'];
export type ReportChange = Schemas['ReportChange'];
export type Pending = Schemas['Pending'];
export type TrendRun = Schemas['TrendRun'];
export type Shared = Schemas['Shared'];
export type Webhook = Schemas['Webhook'];
export type Delivery = Schemas['Delivery'];
export type Schedule = Schemas['Schedule'];
export type Removable = Schemas['Removable'];
export type HistoryEvent = Schemas['Event'];
export type Access = Pick<
  Connection,
  'kind' | 'host' | 'port' | 'database' | 'user' | 'tls' | 'file' | 'variable' | 'limit'
>;

export const api = createClient<paths>({ baseUrl: '/' });

/** ProblemError carries the problem details that the service answered with. */
export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

/** Tells that the service asks for somebody to sign in: a session has ended, whatever the answer was of. */
export const sessions = new EventTarget();

/** Whether the service asks for somebody to sign in. */
export const nobody = (error: unknown) => error instanceof ProblemError && error.problem.type === '/problems/sign-in';

/** A problem that the service has answered with, as what can be thrown. */
export function problem(of: Problem): ProblemError {
  const error = new ProblemError(of);
  if (nobody(error)) sessions.dispatchEvent(new Event('ended'));
  return error;
}

/** The answer's data, or a ProblemError. */
export async function answer<T>(
  call: Promise<{ data?: T; error?: Problem; response: Response }>,
): Promise<{ data: T; response: Response }> {
  const { data, error, response } = await call;
  if (error !== undefined) throw problem(error);
  if (data === undefined && response.status !== 204) throw new Error(`The service answered ${response.status}.`);
  return { data: data as T, response };
}

/** The text to show for anything thrown. */
export function said(error: unknown): string {
  if (error instanceof TypeError) return 'The service does not answer. Is it running?';
  return error instanceof Error ? error.message : String(error);
}
