import { createHash } from 'node:crypto'
import { closeSync, existsSync, mkdirSync, openSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { basename, join } from 'node:path'
import { capture, has, run } from './processes.mjs'
import { say, Stop } from './say.mjs'

const digest = (file) => createHash('sha256').update(readFileSync(file)).digest('hex')

/** npm packages exactly as locked; skipped when the lock has not changed since. */
export async function installNodePackages(root, stateDir) {
  const mark = join(stateDir, 'installed.lock')
  const lock = digest(join(root, 'package-lock.json'))
  if (existsSync(join(root, 'node_modules', '.bin')) && existsSync(mark) && readFileSync(mark, 'utf8') === lock) return
  say('Installing npm packages from the lock file…')
  const code = await run('npm', ['ci', '--no-audit', '--no-fund', '--silent'], { cwd: root })
  if (code !== 0)
    throw new Stop(
      'The npm packages could not be installed. Is the npm registry reachable? Try "npm ci" here and read what it says.',
    )
  mkdirSync(stateDir, { recursive: true })
  writeFileSync(mark, lock)
}

/** Debian packages; says what and why, and needs root for it. */
export async function installDebianPackage(command, pkg, purpose) {
  if (has(command)) return
  const root = process.getuid?.() === 0
  const sudo = !root && has('sudo') && capture('sudo', ['-n', 'true']).code === 0
  if (!has('apt-get'))
    throw new Stop(
      `${purpose} needs ${pkg}, and this is not a Debian machine. Install ${pkg} by hand, so that "${command}" is found.`,
    )
  if (!root && !sudo)
    throw new Stop(
      `${purpose} needs the Debian package ${pkg}, and installing it needs root. Run: sudo apt-get install -y ${pkg}`,
    )
  say(`Installing Debian's ${pkg} (${purpose.toLowerCase()}; this uses ${root ? 'root' : 'sudo'})…`)
  // What apt says, in a file beside it: a hundred lines that concern nobody whose installation goes well.
  const log = join(tmpdir(), `holosoma-apt-${pkg}.log`)
  const apt = async (args) => {
    const file = openSync(log, 'a')
    const options = {
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
      stdio: ['ignore', file, file],
    }
    try {
      return await (root
        ? run('apt-get', args, options)
        : run('sudo', ['-n', 'DEBIAN_FRONTEND=noninteractive', 'apt-get', ...args], options))
    } finally {
      closeSync(file)
    }
  }
  await apt(['update', '-qq'])
  const code = await apt(['install', '-y', '-qq', '--no-install-recommends', pkg])
  if (code !== 0 || !has(command))
    throw new Stop(`Debian's ${pkg} could not be installed. What apt said stands in ${log}.`)
}

/** Where Debian keeps the open data that tests compare with: a scan of a real head, and meshes of others as they came. */
const OPEN_DATA = {
  pkg: 'libcgal-demo',
  archive: './usr/share/doc/libcgal-dev/data.tar.gz',
  files: [
    'data/points_3/b9_training.ply',
    'data/meshes/elephant-with-holes.off',
    'data/meshes/lion.off',
    'data/meshes/bones.off',
    'data/meshes/camel.off',
    'data/meshes/mannequin-devil.off',
    'data/meshes/plane.off',
  ],
}

/** Brings in open data from a Debian package, without installing the package; returns the folder it lies in. */
export async function fetchOpenData(stateDir) {
  const folder = join(stateDir, 'open-data')
  const { pkg, archive, files } = OPEN_DATA
  const missing = files.filter((file) => !existsSync(join(folder, basename(file))))
  if (missing.length === 0) return folder
  mkdirSync(folder, { recursive: true })
  say(`Fetching open data from Debian's ${pkg}…`)
  const download = () => run('apt-get', ['download', '-qq', pkg], { cwd: folder })
  if ((await download()) !== 0) {
    // The lists of a fresh machine are empty.
    await run('apt-get', ['update', '-qq'])
    if ((await download()) !== 0)
      throw new Stop(`Debian's ${pkg} could not be downloaded. Run "apt-get update" as root and try again.`)
  }
  // Unpacked beside, and moved when all are there: what was half written is not taken for whole.
  const steps = [
    `rm -rf part && mkdir part`,
    `dpkg-deb --fsys-tarfile ${pkg}_*.deb | tar -xO ${archive} | tar -xz -C part ${missing.join(' ')}`,
    ...missing.map((file) => `mv part/${file} ${basename(file)}`),
    `rm -r part ${pkg}_*.deb`,
  ]
  if ((await run('sh', ['-c', steps.join(' && ')], { cwd: folder })) !== 0)
    throw new Stop(`Debian's ${pkg} does not hold ${missing.join(', ')}.`)
  return folder
}
