import Button from '@mui/material/Button';
import { Component, type ReactNode } from 'react';
import { Notice } from './Notice';

/** Shows what is in it, or says that it cannot be shown: after an update pages may be gone that were not fetched yet. */
export class Boundary extends Component<{ at: string; children: ReactNode }, { failed: boolean }> {
  override state = { failed: false };

  static getDerivedStateFromError() {
    return { failed: true };
  }

  /** Somewhere else it is tried anew. */
  override componentDidUpdate(before: { at: string }) {
    if (this.state.failed && before.at !== this.props.at) this.setState({ failed: false });
  }

  override render() {
    if (!this.state.failed) return this.props.children;
    return (
      <Notice
        title="This page cannot be shown"
        detail="It could not be fetched, or something went wrong in it. Octaplan may have been brought up to date since this tab was opened: load it again."
      >
        <Button variant="contained" onClick={() => window.location.reload()}>
          Load it again
        </Button>
      </Notice>
    );
  }
}
