/** One container that arrived and was booked. */
export interface Intake {
  id: number;
  number: string;
  container: string;
  growerId: number;
  goods: string;
  setpointC: number;
  pallets: number;
  version: string;
  bay: string | null;
  docket: string | null;
  /** When the load was inspected; null before. */
  inspectedAt: string | null;
  createdAt: string;
  changedAt: string;
  session: string;
}

export interface Bay {
  code: string;
  zone: string;
  capacity: number;
  intakeId: number | null;
  offeredTo: string | null;
  offeredAt: number;
}

export const growers = [
  'Almond Quay Fisheries',
  'Alma Orchards',
  'Brackwater Prawns',
  'Cold Harbour Vaccines',
  'Dunmore Plums',
  'Eider Point Salmon',
  'Fennick Berries',
  'Gullane Cod',
].map((name, index) => ({ id: 310 + index * 7, name }));

const offerHeldMs = 60_000;

/** What Yard knows: intakes and bays, with the rules of the business. */
export class YardRecords {
  readonly intakes = new Map<number, Intake>();
  readonly #byContainer = new Map<string, Intake>();
  readonly bays: Bay[];
  #nextId = 20_418;
  #versions = 0;

  constructor(readonly options: { bays: number; bayCapacity: number; random: () => number; token: (bytes: number) => string }) {
    this.bays = Array.from({ length: options.bays }, (_, index) => ({
      code: `${'ABCDEFGH'[index % 8] ?? 'A'}-${String(Math.floor(index / 8) + 1).padStart(3, '0')}`,
      zone: index % 3 === 0 ? 'vaccine' : index % 3 === 1 ? 'fish' : 'fruit',
      capacity: options.bayCapacity,
      intakeId: null,
      offeredTo: null,
      offeredAt: 0,
    }));
  }

  findByContainer(container: string): Intake | undefined {
    return this.#byContainer.get(container);
  }

  findByNumber(number: string): Intake | undefined {
    for (const intake of this.intakes.values()) if (intake.number === number) return intake;
    return undefined;
  }

  book(fields: Pick<Intake, 'container' | 'growerId' | 'goods' | 'setpointC' | 'pallets' | 'session'>): Intake {
    // Ids leave gaps, as they do where several desks share one sequence.
    this.#nextId += 1 + Math.floor(this.options.random() * 9);
    const now = new Date().toISOString();
    const intake: Intake = {
      ...fields,
      id: this.#nextId,
      number: `IN-${now.slice(0, 4)}-${String(this.#nextId * 7 + 13).padStart(7, '0')}`,
      version: this.newVersion(),
      bay: null,
      docket: null,
      inspectedAt: null,
      createdAt: now,
      changedAt: now,
    };
    this.intakes.set(intake.id, intake);
    this.#byContainer.set(intake.container, intake);
    return intake;
  }

  newVersion(): string {
    return `v${(++this.#versions).toString(16)}-${this.options.token(4)}`;
  }

  /** Free bays in an order of their own each time; a bay offered to one session is kept from the others for a minute. */
  offerBays(session: string, count: number): Bay[] {
    const now = Date.now();
    const free = this.bays.filter((bay) => bay.intakeId === null);
    const open = free.filter((bay) => bay.offeredTo === null || bay.offeredTo === session || now - bay.offeredAt > offerHeldMs);
    const pool = open.length > 0 ? open : free;
    const offered: Bay[] = [];
    while (offered.length < count && pool.length > 0) {
      const [bay] = pool.splice(Math.floor(this.options.random() * pool.length), 1);
      if (!bay) break;
      bay.offeredTo = session;
      bay.offeredAt = now;
      offered.push(bay);
    }
    return offered;
  }

  touch(intake: Intake): void {
    intake.version = this.newVersion();
    intake.changedAt = new Date().toISOString();
  }
}
