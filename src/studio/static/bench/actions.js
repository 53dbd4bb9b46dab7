// Every action by its word, for Ctrl-K, with the keys that do the same.

export const ACTIONS = [
  { key: 'turnOver', word: 'Turn the sheet over (at rest, posed)', keys: 'R', also: 'pose posing animate try' },
  { key: 'fit', word: 'Fit the sheet into the window', keys: 'F' },
  { key: 'undo', word: 'Undo', keys: 'Ctrl-Z', also: 'back revert' },
  { key: 'redo', word: 'Redo', keys: 'Ctrl-Y', also: 'again' },
  { key: 'chain', word: 'Draw a chain of bones', keys: 'C', also: 'skeleton joint new' },
  { key: 'along', word: 'Draw bones along a limb', keys: 'L', also: 'stroke trace skeleton' },
  { key: 'joint', word: 'Move joints', keys: 'J' },
  { key: 'bindFigure', word: 'Bind the whole figure', keys: '', also: 'skin weights mesh attach rig' },
  { key: 'tuneAll', word: 'Tune every joint', keys: '', also: 'elbow knee bend zone' },
  { key: 'brush', word: 'Paint weights with the brush', keys: 'G', also: 'skin influence' },
  { key: 'vertices', word: 'Choose and move vertices', keys: 'V', also: 'mesh points' },
  { key: 'select', word: 'Select or turn', keys: 'S' },
  { key: 'mesh', word: 'Show or hide the mesh', keys: 'M' },
  { key: 'weights', word: 'Show or hide the weights', keys: 'W' },
  { key: 'bones', word: 'Show or hide the bones', keys: 'B' },
  { key: 'play', word: 'Play or stop the test swing', keys: 'P' },
  { key: 'restAll', word: 'Back to rest, all bones', keys: '0' },
  { key: 'delete', word: 'Delete what is selected', keys: 'Delete' },
  { key: 'selectAll', word: 'Select all parts', keys: 'Ctrl-A' },
  { key: 'alone', word: 'View the selected parts alone', keys: 'A' },
  { key: 'lifted', word: 'Show ink lifted off', keys: 'I', also: 'line outline fill' },
  { key: 'clean', word: 'Look at the art alone, while the key is held', keys: 'H', also: 'hide bones grid preview' },
  { key: 'falseColours', word: 'Each piece in a colour of its own', keys: 'K', also: 'false colours stacking order covers' },
  { key: 'readBends', word: 'Read every bend', keys: '', also: 'check elbow width waves' },
  { key: 'proposeAll', word: 'Treat all joints', keys: '', also: 'seam cover trim gusset hide line' },
  { key: 'lamplight', word: 'Change between daylight and lamplight', keys: '' },
  { key: 'library', word: 'Back to the library of figures', keys: '' },
];

export const BY_KEY = {
  r: 'turnOver', f: 'fit', c: 'chain', l: 'along', g: 'brush', v: 'vertices', j: 'joint', s: 'select', m: 'mesh', w: 'weights', b: 'bones', p: 'play', a: 'alone', i: 'lifted', k: 'falseColours', 0: 'restAll',
};
