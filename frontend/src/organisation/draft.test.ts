import { describe, expect, it } from 'vitest';
import { documentOf, draftOf, sharedBlocks, type Settings } from './draft';

const SETTINGS: Settings = {
  schema: 'octaplan.organisation/1',
  own_networks: [{ name: 'Remote access', network: '10.255.0.0/16' }],
  customers: {},
  intent: {},
  common_defaults: ['192.168.0.0/24', '10.0.0.0/24'],
  blocks: { fern: ['10.40.0.0/16', '10.41.0.0/16'] },
  gateway: 'first',
  hosts: 'last',
  leave_fixed: 8,
  growth: 25,
  flag_documentation: false,
  owned_domains: ['fern.example'],
  beginning: {
    resolvers: ['gateway'],
    lease: 28_800,
    range: '.100-.199',
    time_servers: ['ntp.example', '192.0.2.123'],
    managed_from: ['10.255.0.0/16'],
    country: 'IE',
  },
  naming: '{site}-{role}{number}',
  banner: 'Keep out',
  support: 'The desk, 555 0142',
  read_back: false,
  rehearsed: false,
  practice_counts: false,
  stages_real: false,
  hands_networks: ['10.0.0.0/8'],
};

describe('settings as they are typed', () => {
  it('are the same settings again when nothing is changed', () => {
    const beginning = { ...SETTINGS.beginning, lease: '8h' }; // as it is typed
    expect(documentOf(draftOf(SETTINGS))).toEqual({ ...SETTINGS, beginning });
  });

  it('take networks without a name, blank lines and several separators', () => {
    const draft = {
      ...draftOf(SETTINGS),
      ownNetworks: '\n10.9.0.0/16\n\n',
      ownedDomains: 'a.example, b.example',
    };
    const document = documentOf(draft);
    expect(document.own_networks).toEqual([{ network: '10.9.0.0/16', name: 'our own' }]);
    expect(document.owned_domains).toEqual(['a.example', 'b.example']);
  });

  it('tell of blocks that overlap those of another customer', () => {
    const blocks = {
      fern: '10.40.0.0/16 10.41.0.0/16',
      quay: '10.40.8.0/21, nonsense',
      loom: '10.42.0.0/16',
    };
    expect(sharedBlocks(blocks)).toEqual(['10.40.0.0/16 of FERN overlaps 10.40.8.0/21 of QUAY']);
    expect(sharedBlocks({ fern: '10.40.0.0/16 10.40.0.0/16' })).toEqual([]);
  });

  it('leave customers without blocks out, and numbers that are none to the server', () => {
    const document = documentOf({ ...draftOf(SETTINGS), blocks: { fern: ' ' }, growth: 'many' });
    expect(document.blocks).toEqual({});
    expect(document.growth).toBe('many');
  });

  it('tell the table of intent cell by cell, and keep it as it was', () => {
    const intent = { management: { all: 'any' }, office: { internet: 'any', servers: 'tcp/443' } };
    const draft = draftOf({ ...SETTINGS, intent });
    expect(draft.intent['office']).toMatchObject({ internet: 'open', servers: 'tcp/443', guest: '' });
    const document = documentOf({
      ...draft,
      intent: { ...draft.intent, guest: { internet: ' Open ', office: '' } },
    });
    expect(document.intent).toMatchObject({
      office: { internet: 'any', servers: 'tcp/443' },
      guest: { internet: 'any' },
    });
    expect((document.intent as Record<string, Record<string, string>>)['management']).toMatchObject({
      boxes: 'any',
      voice: 'any',
    });
  });
});
