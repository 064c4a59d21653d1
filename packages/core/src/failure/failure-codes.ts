/** What a code of a failure says to people. */
export interface FailureCodeWords {
  /** In a few words, for lists and filters. */
  title: string;
  meaning: string;
  advice: string;
}

/**
 * Everything that can go wrong with a step of a virtual user, by a code that stays the same however the sentence is worded. Groups, filters and
 * exports go by code. A code is never given another meaning; a new failure gets a new code.
 */
export const failureCodes = {
  'connection-refused': {
    title: 'connection refused',
    meaning: 'Nothing listens at the address, or its queue of connections is full.',
    advice: 'See whether the application runs and listens there. Where it fails only under load, see its limit of connections.',
  },
  'connection-reset': {
    title: 'connection reset',
    meaning: 'The application, or something between, ended the connection before it answered.',
    advice: 'Look for restarts, crashes and limits of connections in the log of the application, its proxy and its load balancer.',
  },
  'connection-closed': {
    title: 'connection closed early',
    meaning: 'The connection was closed while the request was sent, or before the answer was complete.',
    advice: 'Look for time-outs of idle connections and for crashes in the log of the application and its proxy.',
  },
  'name-not-found': {
    title: 'name without an address',
    meaning: 'The name of the host has no address.',
    advice: 'See whether the name is written as it should be, and whether this machine asks the right name server.',
  },
  'connect-timed-out': {
    title: 'no connection in time',
    meaning: 'No connection was accepted within the limit.',
    advice: 'See whether a firewall drops the connection. Where it fails only under load, the application accepts too slowly.',
  },
  'first-byte-timed-out': {
    title: 'no first byte in time',
    meaning: 'The answer did not begin within the limit of the crew.',
    advice: 'Lay the figures of the hosts over this moment to see what the application waits for.',
  },
  'answer-timed-out': {
    title: 'no complete answer in time',
    meaning: 'The answer did not end within the limit of the crew.',
    advice: 'Lay the figures of the hosts and the size of the answers over this moment.',
  },
  'length-mismatch': {
    title: 'wrong length',
    meaning: 'The answer has another number of bytes than it says.',
    advice: 'Something between may cut answers off. Look at proxies, and at the log of the application for failures while it writes.',
  },
  'certificate-refused': {
    title: 'certificate refused',
    meaning: 'The target showed a certificate that is not accepted.',
    advice: 'If it is your test system, add its authority to the environment, or switch the checking off there.',
  },
  'not-http': {
    title: 'answer is not HTTP',
    meaning: 'What came back is not HTTP.',
    advice: 'See whether the port belongs to the application, and whether it expects TLS there.',
  },
  'body-not-decoded': {
    title: 'body cannot be decoded',
    meaning: 'The body is not in the encoding that its header names, or becomes too large.',
    advice: 'Look at the answer as it came. A proxy may have changed the body or its headers.',
  },
  'clearance-ended': {
    title: 'clearance has ended',
    meaning: 'The time for which the target was cleared was over, so nothing more was sent.',
    advice: 'Ask again whether it may be tested, and clear it anew.',
  },
  'address-not-cleared': {
    title: 'address that is not cleared',
    meaning: 'The name of the target led to an address for which it was not cleared, so no connection was made.',
    advice: 'See whether the name server answers as it should. Where the application has moved, clear the target anew.',
  },
  'target-not-allowed': {
    title: 'target not allowed',
    meaning: 'The address is not among the targets of the environment, so nothing was sent.',
    advice: 'Add it to the environment if it is yours to test, or leave the step out.',
  },
  'not-sent': {
    title: 'request not sent',
    meaning: 'The request could not be made: a certificate, a header or a proxy of the environment cannot be used.',
    advice: 'The sentence says which one. Mend it in the environment or in the step.',
  },
  'exchange-failed': {
    title: 'other failure of the connection',
    meaning: 'The connection failed in a way that has no code of its own.',
    advice: 'The sentence has what the operating system or the library said.',
  },
  'socket-not-open': {
    title: 'WebSocket not open',
    meaning: 'A message was to go over a WebSocket that is not open.',
    advice: 'See why the step that opens it failed, or who closed it.',
  },
  'message-missing': {
    title: 'awaited message missing',
    meaning: 'The message that the step waits for did not come in time.',
    advice: 'Compare the message that came last with the one of the take; what the step waits for may depend on data.',
  },
  'message-condition-invalid': {
    title: 'condition of a message invalid',
    meaning: 'It cannot be said which message is awaited, because its condition cannot be asked.',
    advice: 'Mend the condition in the step.',
  },
  'line-unexpected': {
    title: 'another line than expected',
    meaning: 'The line that came does not hold what the step expects.',
    advice: 'Look at the line in the example. Where it is good too, expect a shorter text that all good lines hold.',
  },
  'status-unexpected': {
    title: 'unexpected status',
    meaning: 'The answer has another status than the take.',
    advice: 'Look at an example. 401 and 403 point to sessions, 404 and 409 to data, 5xx to the application itself.',
  },
  'redirect-missing': {
    title: 'redirect missing',
    meaning: 'The answer came at once where the take was led on.',
    advice: 'Mostly the form was refused: look at what the page says.',
  },
  'redirect-unexpected': {
    title: 'redirect elsewhere',
    meaning: 'The answer leads to another place than in the take.',
    advice: 'A redirect to a page for signing in points to a session that was lost.',
  },
  'content-unexpected': {
    title: 'other kind of content',
    meaning: 'The answer is of another kind than in the take, such as a page where data should be.',
    advice: 'Look at an example; usually it is a page that reports a failure.',
  },
  'root-element-unexpected': {
    title: 'other root element',
    meaning: 'The document begins with another element than in the take, such as a fault.',
    advice: 'Read what the fault says in an example.',
  },
  'title-unexpected': {
    title: 'other title of the page',
    meaning: 'The page has another title than in the take.',
    advice: 'Accept it in the step if that is as it should be; else look at what the page says.',
  },
  'failure-sign': {
    title: 'failure sign',
    meaning: 'The answer holds what the environment names as a sign of failure.',
    advice: 'Read the answer of an example. Where the sign stands in good answers too, make it more precise.',
  },
  'check-text': {
    title: 'check of a text failed',
    meaning: 'The answer does not hold a text that it should, or holds one that it should not.',
    advice: 'Look at an example beside the step’s check.',
  },
  'check-value': {
    title: 'check of a value failed',
    meaning: 'A value of the answer is not as the check asks.',
    advice: 'Look at an example beside the step’s check; the value may depend on data.',
  },
  'check-count': {
    title: 'check of a count failed',
    meaning: 'There are more or fewer of something than the check asks.',
    advice: 'Look at an example; the count may depend on data that other users change.',
  },
  'check-status': {
    title: 'check of the status failed',
    meaning: 'The status is not one of those that the check names.',
    advice: 'Look at an example.',
  },
  'check-redirect': {
    title: 'check of a redirect failed',
    meaning: 'The answer does not lead to where the check asks.',
    advice: 'Look at an example.',
  },
  'check-size': {
    title: 'check of the size failed',
    meaning: 'The answer is larger or smaller than the check asks.',
    advice: 'Look at an example; a short answer is mostly a failure in words.',
  },
  'check-time': {
    title: 'check of the time failed',
    meaning: 'The answer took longer than the check asks.',
    advice: 'Lay the figures of the hosts over this moment.',
  },
  'check-invalid': {
    title: 'check cannot be made',
    meaning: 'A check cannot be asked, mostly because a value in it made its expression invalid.',
    advice: 'Mend the check in the step.',
  },
  'condition-invalid': {
    title: 'condition cannot be asked',
    meaning: 'The condition of a step cannot be asked.',
    advice: 'Mend the condition in the step.',
  },
  'code-failed': {
    title: 'code failed',
    meaning: 'The code of a step ended with a failure, or took too long.',
    advice: 'Open the step and try its code on an answer that you have.',
  },
  'many-kinds': {
    title: 'further kinds of failure',
    meaning: 'There were too many kinds of failure to tell all apart; these are counted together.',
    advice: 'Look at the first kinds; they mostly have the same reason.',
  },
} as const satisfies Record<string, FailureCodeWords>;

/** A stable code of a failure. */
export type FailureCode = keyof typeof failureCodes;

/** The words for a code; null for one of an earlier version, which had none. */
export const wordsOfCode = (code: string): FailureCodeWords | null =>
  Object.hasOwn(failureCodes, code) ? failureCodes[code as FailureCode] : null;
