import { Command, InvalidArgumentError, Option } from 'commander'
import { commands } from './commands'
import { planFile } from './plan'
import { runRoad } from './road'
import { fail } from './report'

const positive = (text: string): number => {
  const v = Number(text)
  if (!(v > 0) || !Number.isFinite(v)) throw new InvalidArgumentError(`"${text}" must be a number larger than 0.`)
  return v
}

const program = new Command('holosoma').description(
  'Joins scan takes, makes closed skins, mends, sizes and compares them. All lengths in mm.',
)
program.exitOverride((error) => process.exit(error.exitCode === 0 ? 0 : 2))
const command = (usage: string, about: string): Command =>
  program
    .command(usage)
    .description(about)
    .option('--json', 'print one JSON object')
    .option('--seed <n>', 'seed of every random choice', Number, 1)

command('inspect <file>', 'what is in a file').action(commands.inspect)
command('convert <in> <out>', 'another format or unit')
  .option('--unit <unit>', 'unit of the input: mm, cm, m or in', 'mm')
  .action(commands.convert)
command('tidy <in> <out>', 'table, holder, dots and strays away')
  .option('--by-itself', 'stray frames, points seen through, table and floating patches')
  .option('--bench <file>', 'take of the empty bench')
  .option('--holder <by>', 'round, colour, neck, or its height in mm')
  .option('--dots <mm>', 'width of the dots', positive)
  .option('--table <mode>', 'auto, always or none', 'auto')
  .option('--strays <mm>', 'gap that separates strays', positive)
  .option('--outliers <k,sigma>', 'statistical outliers')
  .option('--spacing <mm>', 'thin evenly', positive)
  .action(commands.tidy)
command('join <takes...>', 'takes into one frame')
  .requiredOption('--out <dir>', 'folder for motions.json')
  .option('--fixed <name>', 'the take that stays')
  .option('--picks <file>', 'pairs picked by hand')
  .option('--initial <file>', 'rough motions')
  .option('--tolerance <mm>', 'tolerance of the brief', positive)
  .option('--dots <mm>', 'width of dots stuck on the piece', positive)
  .option('--colours', 'colours count, too: for takes lit evenly')
  .action(commands.join)
command('skin <takes...>', 'one surface')
  .option('--motions <file>', 'motions.json of the join')
  .option('--spacing <mm>', 'edge of the triangles, and distance between nodes of the grid they come from', positive)
  .option('--triangles <n>', 'so many triangles in place of a spacing', positive)
  .option('--dense', 'all triangles of the contour, about four times as many')
  .option('--flat', 'larger triangles where the surface is flat')
  .addOption(
    new Option('--edges <how>', 'keep the edges that the points tell of')
      .choices(['off', 'careful', 'strong'])
      .default('off'),
  )
  .option('--turn', 'turn over takes that face into the piece')
  .requiredOption('--out <mesh>', 'file to write')
  .option('--open', 'leave unseen parts open')
  .option('--memory <gb>', 'memory for the fusing (default: most of what is free)', positive)
  .action(commands.skin)
command('mend <in> <out>', 'close holes')
  .option('--holes <which>', 'all, none or the longest rim in mm', 'all')
  .action(commands.mend)
command('simplify <in> <out>', 'fewer triangles')
  .option('--faces <n>', 'faces to keep', positive)
  .option('--deviation <mm>', 'how far the surface may move', positive)
  .action(commands.simplify)
command('compare <shape> <reference>', 'distances between shapes')
  .option('--map <out>', 'PLY coloured by distance')
  .action(commands.compare)
command('scale <in> <out>', 'true size from distances')
  .requiredOption('--pairs <file>', 'calliper readings')
  .action(commands.scale)
command('simulate <piece>', 'takes at the simulated bench')
  .requiredOption('--out <dir>', 'folder to write')
  .option('--takes <file>', 'plan.json with takes')
  .action(commands.simulate)
command('plan <file>', 'what planned takes will see, and how they hold together')
  .option('--stand-in <mesh>', 'a mesh that stands in for the piece')
  .action(planFile)
command('run <takes...>', 'the whole road: tidy, join, skin, check, write')
  .requiredOption('--out <dir>', 'folder to write')
  .option('--spacing <mm>', 'spacing of the skin', positive)
  .option('--picks <file>')
  .option('--initial <file>')
  .option('--fixed <name>')
  .option('--table <mode>', 'auto, always or none', 'auto')
  .option('--recipe <file>', 'parameters as recipe.json')
  .option('--stop', 'stop at the first step that is not sound')
  .action(runRoad)

program.parseAsync().catch(fail)
