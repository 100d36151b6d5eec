/** The work was given up because something newer was asked for. */
export class Cancelled extends Error {
  override name = 'Cancelled'
}
