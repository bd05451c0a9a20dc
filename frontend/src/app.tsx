import { BrowserRouter, Navigate, Route, Routes } from 'react-router';
import { Failure } from './api/client';
import { usePerson } from './api/queries';
import { AddressesPage } from './desk/addresses/AddressesPage';
import { ComparePage } from './compare/ComparePage';
import { ClearancePage } from './desk/clearance/ClearancePage';
import { BenchPage } from './desk/bench/BenchPage';
import { CredentialsPage } from './desk/credentials/CredentialsPage';
import { DeskPage } from './desk/DeskPage';
import { DevicesPage } from './desk/devices/DevicesPage';
import { InboxPage } from './imports/InboxPage';
import { IntakePage } from './desk/intake/IntakePage';
import { HandoverPage } from './desk/handover/HandoverPage';
import { FindingsPage } from './findings/FindingsPage';
import { Frame } from './frame/Frame';
import { HardwarePage } from './hardware/HardwarePage';
import { JournalPage } from './journal/JournalPage';
import { SettingsPage } from './organisation/SettingsPage';
import { OutboundPage } from './outbound/OutboundPage';
import { Notice } from './parts/Notice';
import { MePage } from './people/MePage';
import { CustomerPage } from './customers/CustomerPage';
import { CustomersPage } from './customers/CustomersPage';
import { PatternPage } from './patterns/PatternPage';
import { PatternsPage } from './patterns/PatternsPage';
import { RolloutPage } from './patterns/RolloutPage';
import { OperationPage } from './operation/OperationPage';
import { PeoplePage } from './people/PeoplePage';
import { QuestionsPage } from './questions/QuestionsPage';
import { RulesPage } from './rules/RulesPage';
import { SafePage } from './safe/SafePage';
import { SpacePage } from './space/SpacePage';
import { SignInAgain, SignInPage } from './sign-in/SignInPage';

export function App() {
  const person = usePerson();
  if (person.isPending) return null;
  if (person.error instanceof Failure && person.error.status === 401) return <SignInPage />;
  if (!person.data) return <Notice title="Octaplan does not answer" detail={String(person.error?.message)} />;
  return (
    <BrowserRouter>
      <SignInAgain />
      <Routes>
        <Route element={<Frame person={person.data} />}>
          <Route index element={<Navigate to="/outbound" replace />} />
          <Route path="outbound" element={<OutboundPage />} />
          <Route path="sites/:customer/:site" element={<DeskPage />}>
            <Route index element={<Navigate to="addresses" replace />} />
            <Route path="intake" element={<IntakePage />} />
            <Route path="addresses" element={<AddressesPage />} />
            <Route path="devices" element={<DevicesPage />} />
            <Route path="credentials" element={<CredentialsPage />} />
            <Route path="clearance" element={<ClearancePage />} />
            <Route path="bench/:device?" element={<BenchPage />} />
            <Route path="handover" element={<HandoverPage />} />
          </Route>
          <Route path="space" element={<SpacePage />} />
          <Route path="findings" element={<FindingsPage />} />
          <Route path="compare" element={<ComparePage />} />
          <Route path="hardware" element={<HardwarePage />} />
          <Route path="hardware/:key" element={<HardwarePage />} />
          <Route path="patterns" element={<PatternsPage />} />
          <Route path="patterns/:key" element={<PatternPage />} />
          <Route path="questions" element={<QuestionsPage />} />
          <Route path="imports" element={<InboxPage />} />
          <Route path="rollout" element={<RolloutPage />} />
          <Route path="customers" element={<CustomersPage />} />
          <Route path="customers/:code" element={<CustomerPage />} />
          <Route path="safe" element={<SafePage />} />
          <Route path="journal" element={<JournalPage />} />
          <Route path="rules" element={<RulesPage />} />
          <Route path="settings" element={<SettingsPage />} />
          <Route path="me" element={<MePage />} />
          <Route path="people" element={<PeoplePage />} />
          <Route path="operation" element={<OperationPage />} />
          <Route
            path="*"
            element={
              <Notice title="There is no such page" detail="Look it up with Go to, or see Outbound." />
            }
          />
        </Route>
      </Routes>
    </BrowserRouter>
  );
}
