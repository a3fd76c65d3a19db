// Order's tool: a click on a contour asks where its cut is to start: the place itself is told, not how long the way is.

export class Start {
  constructor(stage) { this.stage = stage; }
  /** What the card of a choice tells besides. */
  detail({ share, segment, on, item }) {
    return share === undefined ? {} : { share, place: `${segment}:${on.toFixed(9)}`, copy: item?.copy };
  }
}
