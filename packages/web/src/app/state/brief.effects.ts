import { asking } from './asking';
import { briefActions } from './brief.actions';
import { workloadsActions } from './workloads.actions';

/** A pause in typing after which a brief is saved. */
const quietMs = 500;

export const briefEffects = {
  load: asking(
    [briefActions.asked],
    (api) => api.brief(),
    (view) => briefActions.loaded({ view }),
  ),
  save: asking(
    [briefActions.changed],
    (api, { brief }) => api.saveBrief(brief),
    (view) => briefActions.saved({ view }),
    { quietMs, failed: briefActions.saveFailed() },
  ),
  sign: asking(
    [briefActions.signatureWanted],
    (api, { by, role }) => api.signBrief(by, role),
    (view) => briefActions.loaded({ view }),
  ),
  unsign: asking(
    [briefActions.signatureTakenBack],
    (api, { by }) => api.unsignBrief(by),
    (view) => briefActions.loaded({ view }),
  ),
  makeWorkload: asking(
    [briefActions.workloadWanted],
    (api) => api.workloadOfBrief(),
    (workload) => [briefActions.workloadMade({ workload }), workloadsActions.listAsked()],
    { goTo: ({ id }) => ['/workloads', id] },
  ),
};
