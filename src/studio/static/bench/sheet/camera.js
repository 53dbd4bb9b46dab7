// Where on the figure the window looks: scale (screen px per figure px) and the figure point at the window's middle.

export class Camera {
  constructor() {
    this.scale = 1;
    this.x = 0;
    this.y = 0;
    this.width = 1;
    this.height = 1;
    this.top = 46;
    this.fitted = null; // the sheet, as long as nobody has looked elsewhere
    this.window = [1, 1]; // px; the layers are larger than it while the view is turned
    this.turn = 0; // rad, clockwise
    this.mirrored = false;
  }

  /** A spot of the window as one of the layers, which lie in its middle, turned and mirrored. */
  fromWindow(x, y) {
    const dx = (x - this.window[0] / 2) * (this.mirrored ? -1 : 1);
    const dy = y - this.window[1] / 2;
    const [c, s] = [Math.cos(this.turn), Math.sin(this.turn)];
    return [c * dx + s * dy + this.width / 2, c * dy - s * dx + this.height / 2];
  }

  /** The window is so large now; `right` is its right edge on the screen. Where a column to the left came or went, what
   * is shown stays where it is on the screen. */
  resize(width, height, right) {
    const beside = height === this.height && right === this.right && width !== this.width;
    if (beside) this.x -= (width - this.width) / 2 / this.scale;
    this.width = width;
    this.height = height;
    this.right = right;
    if (this.fitted && !beside) this.fit(this.fitted);
  }

  fit(sheet) {
    this.fitted = sheet;
    const { top } = this; // the tools and the state tab float there
    const bottom = 44; // and hints here
    const [width, height] = this.window;
    this.scale = Math.max(Math.min((width - 40) / sheet.width, (height - top - bottom) / sheet.height), 0.02);
    this.x = sheet.width / 2 - sheet.standing_point[0];
    this.y = sheet.height / 2 - sheet.standing_point[1] - (top - bottom) / 2 / this.scale;
  }

  /**
   * Bring a box of the figure (left, top, right, bottom) to the middle, as large as leaves its surroundings in sight.
   * @param {number[]} box
   */
  look([left, top, right, bottom]) {
    this.fitted = null;
    const room = 0.55;
    this.scale = Math.min(
      Math.max(Math.min((room * this.window[0]) / (right - left), (room * this.window[1]) / (bottom - top)), 0.02),
      4,
    );
    this.x = (left + right) / 2;
    this.y = (top + bottom) / 2;
  }

  toScreen(x, y) {
    return [(x - this.x) * this.scale + this.width / 2, (y - this.y) * this.scale + this.height / 2];
  }

  toFigure(x, y) {
    return [(x - this.width / 2) / this.scale + this.x, (y - this.height / 2) / this.scale + this.y];
  }

  pan(dx, dy) {
    this.fitted = null;
    this.x -= dx / this.scale;
    this.y -= dy / this.scale;
  }

  zoomAround(x, y, factor) {
    this.fitted = null;
    const [fx, fy] = this.toFigure(x, y);
    this.scale = Math.min(Math.max(this.scale * factor, 0.02), 32);
    const [nx, ny] = this.toFigure(x, y);
    this.x += fx - nx;
    this.y += fy - ny;
  }

  /** The same numbers `View` has on the server: figure point at the top left. */
  get origin() {
    return this.toFigure(0, 0);
  }
}
