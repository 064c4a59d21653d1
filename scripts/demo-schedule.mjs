// What the demo has of schedules: a run on each working night, a time in which nothing may run, and who is told, by way of Tidewell Post.

/** The key with which Tidewell Post checks calls of its webhook; made up. */
const webhookSecret = `whsec_${Buffer.from('tidewell-post-made-up-key').toString('base64')}`;

/** `ask` calls the API of the project: method, path within it, body. */
export async function planDemo(ask, { smtpPort, postOrigin }) {
  await ask('PUT', '/notice-settings', {
    mail: { host: '127.0.0.1', port: smtpPort, security: 'none', from: 'sturdy@tidewell.example' },
    groups: [
      {
        id: 'g1',
        name: 'Yard operations',
        addresses: ['mara@tidewell.example', 'tomas@tidewell.example'],
        webhooks: [{ id: 'h1', url: `${postOrigin}/hook`, secret: webhookSecret }],
      },
    ],
  });
  await ask('PUT', '/blackouts', {
    blackouts: [
      {
        id: 'b1',
        why: 'Backup of the yard',
        zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
        when: { kind: 'weekly', days: [6], from: '22:00', until: '04:00' },
      },
    ],
  });
  const workloads = await ask('GET', '/workloads');
  const workload = workloads.find(({ name }) => /morning/i.test(name)) ?? workloads[0];
  const environments = await ask('GET', '/environments');
  if (!workload) return;
  await ask('POST', '/schedules', {
    name: 'Working nights',
    workloadId: workload.id,
    environmentId: environments[0]?.id ?? null,
    zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    repetition: {
      kind: 'weekly',
      days: [1, 2, 3, 4, 5],
      time: '02:30',
      from: new Date().toISOString().slice(0, 10),
      until: null,
    },
    notify: ['g1'],
  });
}
