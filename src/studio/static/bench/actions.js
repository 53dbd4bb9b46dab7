// Every action by its word, for Ctrl-K, with the keys that do the same.

export const ACTIONS = [
  { key: 'turnOver', word: 'Turn the sheet over (at rest, posed)', keys: 'R' },
  { key: 'fit', word: 'Fit the sheet into the window', keys: 'F' },
  { key: 'undo', word: 'Undo', keys: 'Ctrl-Z' },
  { key: 'redo', word: 'Redo', keys: 'Ctrl-Y' },
  { key: 'chain', word: 'Draw a chain of bones', keys: 'C' },
  { key: 'along', word: 'Draw bones along a limb', keys: 'L' },
  { key: 'joint', word: 'Move joints', keys: 'J' },
  { key: 'bindFigure', word: 'Bind the whole figure', keys: '' },
  { key: 'tuneAll', word: 'Tune every joint', keys: '' },
  { key: 'brush', word: 'Paint weights with the brush', keys: 'G' },
  { key: 'vertices', word: 'Choose and move vertices', keys: 'V' },
  { key: 'select', word: 'Select or turn', keys: 'S' },
  { key: 'mesh', word: 'Show or hide the mesh', keys: 'M' },
  { key: 'weights', word: 'Show or hide the weights', keys: 'W' },
  { key: 'bones', word: 'Show or hide the bones', keys: 'B' },
  { key: 'play', word: 'Play or stop the test swing', keys: 'P' },
  { key: 'restAll', word: 'Back to rest, all bones', keys: '0' },
  { key: 'delete', word: 'Delete what is selected', keys: 'Delete' },
  { key: 'selectAll', word: 'Select all parts', keys: 'Ctrl-A' },
  { key: 'alone', word: 'View the selected parts alone', keys: 'A' },
  { key: 'lifted', word: 'Show ink lifted off', keys: 'I' },
  { key: 'lamplight', word: 'Change between daylight and lamplight', keys: '' },
  { key: 'library', word: 'Back to the library of figures', keys: '' },
];

export const BY_KEY = {
  r: 'turnOver', f: 'fit', c: 'chain', l: 'along', g: 'brush', v: 'vertices', j: 'joint', s: 'select', m: 'mesh', w: 'weights', b: 'bones', p: 'play', a: 'alone', i: 'lifted', 0: 'restAll',
};
