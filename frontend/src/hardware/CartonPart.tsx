import type { HardwareType } from '../api/client';
import { Check, Group, Mask, Pick, Several, Whole, Words } from './inputs';

/** A type as it comes out of its carton, and how it takes changes. */
export function CartonPart(props: { type: HardwareType; onChange: (values: Partial<HardwareType>) => void }) {
  const { type, onChange: put } = props;
  const { factory } = type;
  const fact = (values: Partial<HardwareType['factory']>) => put({ factory: { ...factory, ...values } });
  return (
    <Group title="Out of its carton">
      <Pick
        label="Address"
        value={factory.addressing}
        choices={['fixed', 'dhcp', 'none']}
        words={{ fixed: 'a fixed one', dhcp: 'asks for one by DHCP', none: 'none' }}
        onChange={(addressing) => fact({ addressing })}
      />
      {factory.addressing === 'fixed' && (
        <>
          <Words
            mono
            label="Factory address"
            value={factory.address}
            onChange={(address) => fact({ address })}
          />
          <Mask label="Mask" value={factory.prefix} onChange={(prefix) => fact({ prefix })} />
          <Words
            mono
            label="Leases to the laptop (empty: none)"
            value={factory.leases}
            onChange={(leases) => fact({ leases })}
          />
        </>
      )}
      <Pick
        label="Its own pages"
        value={factory.web ?? ''}
        choices={['https', 'http', '']}
        words={{ '': 'it has none' }}
        onChange={(web) => fact({ web: web || null })}
      />
      {factory.web && (
        <>
          <Whole
            label="Port, if not the usual"
            value={factory.web_port}
            onChange={(web_port) => fact({ web_port })}
          />
          <Words
            label="What the browser will say"
            value={factory.certificate_warning}
            onChange={(certificate_warning) => fact({ certificate_warning })}
          />
        </>
      )}
      <Several
        label="Answers on the network (https, ssh, telnet…)"
        value={factory.services}
        onChange={(services) =>
          fact({ services: services.map((one) => one.toLowerCase()) as typeof factory.services })
        }
      />
      <Words label="User" value={factory.user} onChange={(user) => fact({ user })} />
      <Pick
        label="First password"
        value={factory.password}
        choices={['label', 'known', 'blank', 'chosen']}
        words={{
          label: 'on the label',
          known: "the maker's own",
          blank: 'empty',
          chosen: 'chosen at first log-in',
        }}
        onChange={(password) => fact({ password })}
      />
      {factory.password === 'known' && (
        <Words
          mono
          label="The maker's own password"
          value={factory.known_password}
          onChange={(known_password) => fact({ known_password })}
        />
      )}
      <Check
        label="Interfaces are switched off"
        value={factory.interfaces_disabled}
        onChange={(interfaces_disabled) => fact({ interfaces_disabled })}
      />
      <Check
        label="Everything is blocked until allowed"
        value={factory.blocked}
        onChange={(blocked) => fact({ blocked })}
      />
      <Pick
        label="Changes take effect"
        value={type.takes}
        choices={['at once', 'after apply', 'after commit']}
        onChange={(takes) => put({ takes })}
      />
      <Pick
        label="Kept over a power cut"
        value={type.kept}
        choices={['always', 'when saved']}
        onChange={(kept) => put({ kept })}
      />
      <Check
        label="Only a restart lets changes take effect"
        value={type.restart_needed}
        onChange={(restart_needed) => put({ restart_needed })}
      />
      <Check
        label="SSH needs a full name"
        value={type.ssh_needs_full_name}
        onChange={(ssh_needs_full_name) => put({ ssh_needs_full_name })}
      />
      <Check
        label="Takes changes back that nobody confirms"
        value={type.confirms}
        onChange={(confirms) => put({ confirms })}
      />
      <Check
        label="Takes its settings over RESTCONF"
        value={type.restconf}
        onChange={(restconf) => put({ restconf })}
      />
    </Group>
  );
}
