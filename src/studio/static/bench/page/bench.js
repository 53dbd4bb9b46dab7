// The stores of the page by name, and what its modules bring: tools, actions, things to do at certain moments.

import { steady } from './merging.js';

/**
 * What a module of the page brings; a stage of the work has a `key` and a `word` as well, and a template card.html.
 * @typedef {object} Module
 * @property {string} [key]
 * @property {string} [word]
 * @property {Object<string, object>} [stores] Alpine stores, by name
 * @property {Object<string, object>} [tools] by key
 * @property {Action[]} [actions]
 * @property {(tool: (key: string) => object, view: (key: string, word: string, on: boolean) => object) => object[]} [bar]
 *   the buttons above the sheet
 * @property {(watch: (read: () => any, then: () => void) => void) => void} [watch] what to do when something changes
 * @property {(state: any) => void} [taken] what to do with a new state of the figure
 * @property {() => boolean} [remove] delete what is selected; tells whether anything was
 * @property {boolean} [bonesBehind] whether bones that are not chosen are faint, so that what it draws is seen
 * @property {() => boolean} [unframed] whether chosen parts have no frames around them
 * @property {(by: number[]) => boolean} [nudge] what arrow keys do while its stage is gone to; tells whether anything
 * @property {(context: CanvasRenderingContext2D, camera: import('../sheet/camera.js').Camera) => void} [draw]
 *   what to draw over the art
 * @property {(frame: any) => void} [framed] what to do with each posed frame
 * @property {() => void} [entered] what to do when the stage is gone to
 *
 * @typedef {object} Common
 * @property {Module[]} modules
 * @property {Object<string, any>} toolset
 * @property {Action[]} actions
 * @property {(then: () => void) => void} nextTick
 * @property {(one: any) => any} raw what lies behind something Alpine watches
 *
 * @typedef {object} Action
 * @property {string} key
 * @property {string} word for the finder
 * @property {string} [keys] what to press, in words
 * @property {string} [press] the key pressed
 * @property {string} [also] other words it is found by
 * @property {() => void} act
 */

/**
 * The stores by name; a stage that brings another adds its line.
 * @typedef {object} Stores
 * @property {typeof import('../artwork/part.js').part} part
 * @property {typeof import('../artwork/ink.js').ink} ink
 * @property {typeof import('../artwork/shape.js').shape} shape
 * @property {typeof import('../artwork/group.js').group} group
 * @property {typeof import('../artwork/reference.js').reference} reference
 * @property {typeof import('../artwork/artsheet.js').artsheet} artsheet
 * @property {typeof import('../binding/binding.js').binding} binding
 * @property {typeof import('../binding/influences.js').influences} influences
 * @property {typeof import('../binding/weights.js').weights} weights
 * @property {typeof import('../binding/mesh.js').mesh} mesh
 * @property {typeof import('../binding/zones.js').zones} zones
 * @property {typeof import('../binding/sets.js').sets} sets
 * @property {typeof import('../binding/growing.js').growing} growing
 * @property {typeof import('../binding/taking.js').taking} taking
 * @property {typeof import('../binding/fan.js').fan} fan
 * @property {typeof import('../bones/bone.js').bone} bone
 * @property {typeof import('../bones/setup.js').setup} setup
 * @property {typeof import('../delivery/deliveries.js').deliveries} deliveries
 * @property {typeof import('../delivery/lists.js').lists} lists
 * @property {typeof import('../follow/springs.js').springs} springs
 * @property {typeof import('../follow/wishes.js').wishes} wishes
 * @property {typeof import('../follow/cloth.js').cloth} cloth
 * @property {typeof import('../follow/jelly.js').jelly} jelly
 * @property {typeof import('../follow/around.js').around} around
 * @property {typeof import('../follow/following.js').following} following
 * @property {typeof import('../follow/swung.js').swung} swung
 * @property {typeof import('../warps/warps.js').warps} warps
 * @property {typeof import('../warps/handles.js').handles} handles
 * @property {typeof import('../warps/ties.js').ties} ties
 * @property {typeof import('../warps/tacks.js').tacks} tacks
 * @property {typeof import('../warps/hems.js').hems} hems
 * @property {typeof import('../controls/reaches.js').reaches} reaches
 * @property {typeof import('../controls/looks.js').looks} looks
 * @property {typeof import('../controls/reach_map.js').reachMap} reachMap
 * @property {typeof import('../controls/levers.js').levers} levers
 * @property {typeof import('../controls/drives.js').drives} drives
 * @property {typeof import('../controls/slip.js').slip} slip
 * @property {typeof import('../controls/shapes.js').shapes} shapes
 * @property {typeof import('../controls/correctives.js').correctives} correctives
 * @property {typeof import('../controls/pulling.js').pulling} pulling
 * @property {typeof import('../trial/path.js').tipPath} tipPath
 * @property {typeof import('../trial/steps.js').steps} steps
 * @property {typeof import('../trial/clips.js').clips} clips
 * @property {typeof import('../trial/proof.js').proof} proof
 * @property {typeof import('../trial/sound.js').sound} sound
 * @property {typeof import('../trial/film.js').film} film
 * @property {typeof import('../trial/swinging.js').swinging} swinging
 * @property {typeof import('../trial/ghosts.js').ghosts} ghosts
 * @property {typeof import('../trial/curves.js').curves} curves
 * @property {typeof import('../trial/feet.js').feet} feet
 * @property {typeof import('../trial/motions.js').motions} motions
 * @property {typeof import('../trial/strip.js').strip} strip
 * @property {typeof import('../trial/slips.js').slips} slips
 * @property {typeof import('../trial/strip_rows.js').stripRows} stripRows
 * @property {typeof import('../trial/keying.js').keying} keying
 * @property {typeof import('../facings/facings.js').facings} facings
 * @property {typeof import('../facings/flips.js').flips} flips
 * @property {typeof import('../facings/making.js').facingCard} facingCard
 * @property {typeof import('../facings/ghost.js').ghost} ghost
 * @property {typeof import('./page.js').page} page
 * @property {typeof import('./history.js').history} history
 * @property {typeof import('./card.js').card} card
 * @property {typeof import('./selection.js').selection} selection
 * @property {typeof import('./picking.js').picking} picking
 * @property {typeof import('./finder.js').finder} finder
 * @property {typeof import('./findings.js').findings} findings
 * @property {typeof import('./tree.js').tree} tree
 * @property {typeof import('./tray.js').tray} tray
 * @property {typeof import('./opening.js').opening} opening
 * @property {typeof import('../posing/posing.js').posing} posing
 * @property {typeof import('../posing/placing.js').placing} placing
 * @property {typeof import('../posing/playing.js').playing} playing
 * @property {typeof import('../posing/tools.js').poseTools} poseTools
 * @property {typeof import('../seams/seams.js').seams} seams
 * @property {typeof import('../seams/live.js').liveSeam} liveSeam
 * @property {typeof import('../seams/trying.js').trying} trying
 * @property {typeof import('../seams/proposals.js').proposals} proposals
 * @property {typeof import('../seams/treatments.js').treatments} treatments
 * @property {typeof import('../seams/underneath.js').underneath} underneath
 * @property {typeof import('../seams/poses.js').poses} poses
 * @property {typeof import('../seams/among.js').among} among
 * @property {typeof import('../sheet/sheet.js').sheet} sheet
 * @property {typeof import('../sheet/pointer.js').pointer} pointer
 * @property {typeof import('../sheet/tools.js').tools} tools
 */

/** @type {Stores & Common} */
export const bench = /** @type {any} */ ({
  modules: [],
  toolset: {},
  actions: [],
  nextTick: (then) => queueMicrotask(then),
  raw: (one) => one,
});

/**
 * Put the page together from its modules.
 * @param {any} Alpine
 * @param {Module[]} modules
 */
export function install(Alpine, modules) {
  bench.modules = modules;
  bench.nextTick = Alpine.nextTick;
  bench.raw = Alpine.raw;
  for (const module of modules) {
    Object.assign(bench.toolset, module.tools);
    bench.actions.push(...(module.actions || []));
    for (const [name, store] of Object.entries(module.stores || {})) {
      Alpine.store(name, steady(store));
      Object.defineProperty(bench, name, { get: () => Alpine.store(name) });
    }
  }
}
