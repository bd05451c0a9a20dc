import { marked } from 'marked';
import guide from '../../../docs/guide.md?raw';
import styles from './register.module.css';

/** The guide, as it comes with Octaplan; what it leads to outside of the pages is told, not linked. */
const HTML = marked
  .parse(guide, { async: false })
  .replaceAll(/<a href="rules\.md[^"]*">/g, '<a href="/rules">')
  .replaceAll(/<a href="(?!\/|#)[^"]*">([^]*?)<\/a>/g, '<span>$1</span>');

/** How the work goes, from the first customer to shipping. */
export function GuidePage() {
  return (
    <div className="page">
      <article className={styles.guide} dangerouslySetInnerHTML={{ __html: HTML }} />
    </div>
  );
}
