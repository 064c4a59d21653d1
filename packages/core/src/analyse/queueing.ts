/** What a queueing model predicts: throughput a second, response time and utilisation of a worker (0 to 1). */
export interface Prediction {
  throughput: number;
  responseSeconds: number;
  utilisation: number;
}

/**
 * Closed model with `users` who think for `thinkSeconds` on average and one station of `workers` with exponential service
 * times: the machine-repairman model M/M/c//N, solved from its birth-death equations (Kleinrock, Queueing Systems I, 1975, 3.8).
 */
export function machineRepairman(users: number, workers: number, serviceSeconds: number, thinkSeconds: number): Prediction {
  // p[n] relative to p[0]: arrival rate (N − n) / Z, service rate min(n, c) / S. Scaled as it goes, so that it cannot overflow.
  let weight = 1;
  let total = 1;
  let busy = 0;
  let atStation = 0;
  for (let n = 1; n <= users; n++) {
    weight *= ((users - n + 1) * serviceSeconds) / (Math.min(n, workers) * thinkSeconds);
    total += weight;
    busy += weight * Math.min(n, workers);
    atStation += weight * n;
    if (weight <= 1e200) continue;
    weight /= 1e200;
    total /= 1e200;
    busy /= 1e200;
    atStation /= 1e200;
  }
  const throughput = busy / total / serviceSeconds;
  return { throughput, responseSeconds: atStation / total / throughput, utilisation: busy / total / workers };
}

/** Exact mean value analysis of one queueing station with one worker and think time (Reiser and Lavenberg 1980). */
export function meanValueAnalysis(users: number, serviceSeconds: number, thinkSeconds: number): Prediction {
  let queue = 0;
  let throughput = 0;
  let response = serviceSeconds;
  for (let n = 1; n <= users; n++) {
    response = serviceSeconds * (1 + queue);
    throughput = n / (thinkSeconds + response);
    queue = throughput * response;
  }
  return { throughput, responseSeconds: response, utilisation: throughput * serviceSeconds };
}

/**
 * Open model M/M/c: arrivals of a Poisson process at `arrivalsPerSecond`, `workers` with exponential service times (Erlang C; Kleinrock,
 * Queueing Systems I, 1975, 3.4). The response time is infinite where the workers cannot keep up.
 */
export function erlangDelay(arrivalsPerSecond: number, workers: number, serviceSeconds: number): Prediction {
  const offered = arrivalsPerSecond * serviceSeconds;
  const utilisation = offered / workers;
  if (utilisation >= 1) return { throughput: workers / serviceSeconds, responseSeconds: Infinity, utilisation: 1 };
  // Erlang B by its recursion, which cannot overflow; C follows from it (Kleinrock, 3.6).
  let blocked = 1;
  for (let n = 1; n <= workers; n++) blocked = (offered * blocked) / (n + offered * blocked);
  const waits = blocked / (1 - utilisation * (1 - blocked));
  return {
    throughput: arrivalsPerSecond,
    responseSeconds: serviceSeconds + (waits * serviceSeconds) / (workers - offered),
    utilisation,
  };
}
