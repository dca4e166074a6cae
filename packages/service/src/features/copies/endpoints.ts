import { endpointsOf, json, Refusal, Reply } from '../../kernel/index.js';
import type { Copier } from './copier.js';
import { CopiesBegun, CopiesView, SnapshotBegun } from './model.js';

export interface CopyEndpoints {
  /** Undefined where nothing is copied. */
  readonly copier: Copier | undefined;
  readonly folder: string | undefined;
  readonly alertMs: number;
}

const endpoint = endpointsOf<CopyEndpoints>();

const get = endpoint({
  name: 'copies.get',
  method: 'get',
  path: '/v1/copies',
  summary: 'How far the continuous copies are',
  scope: 'operator',
  isForService: true,
  answers: { 200: json('The state of the copies.', CopiesView) },
  run(_call, { copier, folder, alertMs }) {
    if (copier === undefined)
      return { state: 'off' as const, behind: 0, lagSeconds: 0, onSameDisk: false, snapshotUnderWay: false, snapshots: [] };
    const { behind, lagMs, problem, isOnSameDisk, snapshotUnderWay, snapshots, lineage } = copier.status();
    const isWhole = snapshots.some((snapshot) => snapshot.lineage === lineage);
    return {
      folder,
      state: lagMs > alertMs ? ('behind' as const) : isWhole ? ('copying' as const) : ('first-snapshot' as const),
      behind,
      lagSeconds: Math.round(lagMs / 100) / 10,
      problem,
      onSameDisk: isOnSameDisk,
      snapshotUnderWay,
      snapshots: snapshots.map(({ file, asOf, bytes, sequence }) => ({ file, asOf, bytes, sequence })),
    };
  },
});

const NO_COPIES = () =>
  new Refusal(409, 'no-copies', 'Nothing is copied', { hint: 'Set copies.folder (VERBALIS_COPIES_FOLDER) to a folder on another disk.' });

const begin = endpoint({
  name: 'copies.begin',
  method: 'post',
  path: '/v1/copies/begin',
  summary: 'Start the continuous copies over, with a snapshot',
  description:
    'After the disk of the folder was replaced. Otherwise an empty folder is left alone, because it may be a disk that is not mounted.',
  scope: 'operator',
  isForService: true,
  answers: { 202: json('They begin.', CopiesBegun) },
  refusals: { 409: 'Nothing is copied.' },
  isRepeatable: true,
  run(_call, { copier, folder }) {
    if (copier === undefined || folder === undefined) throw NO_COPIES();
    copier.beginAnew();
    return new Reply({ folder }, { status: 202 });
  },
});

const snapshot = endpoint({
  name: 'copies.snapshot',
  method: 'post',
  path: '/v1/copies/snapshot',
  summary: 'Add a snapshot to the continuous copies now',
  scope: 'operator',
  isForService: true,
  answers: { 202: json('It is being taken.', SnapshotBegun) },
  refusals: { 409: 'Nothing is copied.' },
  isRepeatable: true,
  run(_call, { copier }) {
    if (copier === undefined) throw NO_COPIES();
    return new Reply({ begun: copier.snapshotNow() }, { status: 202 });
  },
});

/** Continuous copies. */
export const copyEndpoints = [get, begin, snapshot];
