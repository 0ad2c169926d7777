const LETTERS = /[^a-z]/g;

const keyOf = (join: string, tasterId: number) => `vapocline.seat.${join}.${tasterId}`;

/**
 * The secret of a taster's seat, as stored in this browser. One in the link's fragment is stored and
 * taken out of the address bar, so that the address can be shared.
 */
export function seatSecret(join: string, tasterId: number) {
  const inLink = plain(window.location.hash);
  if (inLink) {
    keepSeatSecret(join, tasterId, inLink);
    window.history.replaceState(window.history.state, "", window.location.pathname);
  }
  return localStorage.getItem(keyOf(join, tasterId)) ?? "";
}

export function keepSeatSecret(join: string, tasterId: number, secret: string) {
  localStorage.setItem(keyOf(join, tasterId), plain(secret));
}

/** A typed code without its spaces, in lower case. */
function plain(typed: string) {
  return typed.toLowerCase().replace(LETTERS, "");
}

/** A code in two groups, which are easier to read and to type. */
export function inGroups(secret: string) {
  const middle = Math.ceil(secret.length / 2);
  return `${secret.slice(0, middle)} ${secret.slice(middle)}`;
}
