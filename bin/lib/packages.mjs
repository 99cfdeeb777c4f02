import { existsSync } from 'node:fs'
import { spawnSync } from 'node:child_process'
import { say, stop } from './say.mjs'

const PACKAGES = {
  mariadb: { packages: ['mariadb-server'], files: ['/usr/sbin/mariadbd', '/usr/bin/mariadb-install-db'] },
  chromium: { packages: ['chromium', 'fonts-liberation'], files: ['/usr/bin/chromium'] },
}

const isThere = (name) => PACKAGES[name].files.every((file) => existsSync(file))

/** Installs what is missing from Debian's packages where that is allowed, or says what to install and stops. */
export function needPackages(...names) {
  const missing = names.filter((name) => !isThere(name)).flatMap((name) => PACKAGES[name].packages)
  if (missing.length === 0) return
  const command = `apt-get install -y --no-install-recommends ${missing.join(' ')}`
  if (process.getuid?.() !== 0 || !existsSync('/usr/bin/apt-get')) stop(`These Debian packages are missing: ${missing.join(', ')}.\nInstall them as root, then start again:\n  apt-get update && ${command}`)
  say(`installing ${missing.join(', ')} from Debian's packages`)
  const options = ['-q', '-y', '-o', 'DPkg::Lock::Timeout=500']
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }
  spawnSync('apt-get', ['update', ...options], { env, stdio: ['ignore', 'ignore', 'inherit'] })
  const done = spawnSync('apt-get', ['install', '--no-install-recommends', ...options, ...missing], { env, stdio: ['ignore', 'ignore', 'inherit'] })
  if (done.status !== 0 || !names.every(isThere)) stop(`The packages could not be installed. Try it by hand:\n  apt-get update && ${command}`)
}
