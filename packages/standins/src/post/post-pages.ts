import { escapeHtml } from '../yard/pages.js';
import type { PostMessage } from './post-message.js';

const style = `body{font:15px/1.5 system-ui,sans-serif;margin:0;background:#f3f1ec;color:#222}header{background:#27424a;color:#fff;padding:12px 20px}header a{color:#fff}
main{max-width:1000px;margin:20px auto;padding:0 20px}table{border-collapse:collapse;width:100%;background:#fff}th,td{padding:8px 12px;border-bottom:1px solid #ddd;text-align:left;vertical-align:top}
iframe{width:100%;height:520px;border:1px solid #ccc;background:#fff}pre{white-space:pre-wrap;background:#fff;padding:12px;border:1px solid #ccc}.soft{color:#555}`;

const page = (title: string, body: string): string => `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(title)}</title><link rel="icon" href="data:,"><style>${style}</style></head>
<body><header><a href="/"><b>Tidewell Post</b></a> collects what is sent to it, and sends nothing on</header><main>${body}</main></body></html>`;

const signedWords = ({ kind, signed }: PostMessage): string =>
  kind === 'mail' ? '' : signed === null ? 'not signed' : signed ? 'signed with the key of this box' : 'signed with another key';

/** All that arrived, the newest first. */
export const messagesPage = (messages: readonly PostMessage[]): string =>
  page(
    'Tidewell Post',
    `<h1>What arrived</h1>${
      messages.length === 0
        ? '<p class="soft">Nothing yet. Reload this page after something was sent.</p>'
        : `<table><thead><tr><th>When</th><th>What</th><th>To</th><th>Subject</th><th>With it</th></tr></thead><tbody>${[...messages]
            .reverse()
            .map(
              (message) =>
                `<tr><td>${escapeHtml(message.at.replace('T', ' ').slice(0, 19))} UTC</td><td>${message.kind}</td><td>${escapeHtml(message.to.join(', '))}</td><td><a href="/messages/${message.id}">${escapeHtml(message.subject)}</a></td><td>${escapeHtml([...message.attachments.map(({ name }) => name), signedWords(message)].filter(Boolean).join(', '))}</td></tr>`,
            )
            .join('')}</tbody></table>`
    }`,
  );

/** One message. */
export const messagePage = (message: PostMessage): string =>
  page(
    message.subject,
    `<h1>${escapeHtml(message.subject)}</h1><p class="soft">${escapeHtml(message.from)} to ${escapeHtml(message.to.join(', '))}, ${escapeHtml(message.at)} ${escapeHtml(signedWords(message))}</p>
${message.attachments.map(({ name, bytes }, at) => `<p><a href="/messages/${message.id}/attachments/${at}">${escapeHtml(name)}</a> (${Math.ceil(bytes.length / 1024)} kB)</p>`).join('')}
${message.html === '' ? '' : `<iframe title="The mail as HTML" src="/messages/${message.id}/body" sandbox></iframe>`}<h2>As text</h2><pre>${escapeHtml(message.text)}</pre>`,
  );
