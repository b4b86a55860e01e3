import { createReadStream, existsSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { installStatus } from '#core'
import type { FastifyInstance } from 'fastify'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import type { PublicAddress } from '../../http/transport'
import { architectures, type Releases } from '../rollout/updates/releases'

/** What a machine pipes into its shell. Everything that can go wrong there is said there, in a sentence. */
export function installScript({ url: server, ca }: PublicAddress, digests: Readonly<Record<string, string>>): string {
  const known = Object.keys(digests)
  return `#!/bin/sh
# Installs the Custode agent. Usage: sh -s -- KEY [--name NAME] [--look-only] [--ca FILE] [--proxy URL]
set -eu
# By its status whoever runs it from elsewhere knows why it ended.
fail() { echo "custode-agent: $2" >&2; exit "$1"; }
[ $# -ge 1 ] || fail 64 'the key is missing: copy the whole command'
key=$1
shift
# The program reads these, too; the download needs them before it is there.
ca= before=
for word; do
  case $before in --ca) ca=$word ;; --proxy) https_proxy=$word; export https_proxy ;; esac
  before=$word
done
[ "$(uname -s)" = Linux ] || fail ${installStatus['unsupported-system']} "this system is not supported: $(uname -s)"
case "$(uname -m)" in
${architectures
  .filter((architecture) => known.includes(architecture))
  .map(
    (architecture) =>
      `  ${architecture === 'x64' ? 'x86_64|amd64' : 'aarch64|arm64'}) arch=${architecture}; digest=${digests[architecture]};;`,
  )
  .join('\n')}
  *) fail ${installStatus['unsupported-system']} "this server has no agent for $(uname -m)";;
esac
# The program is tried from where it is unpacked, and not everywhere may programs run.
folder=
for place in "\${TMPDIR:-/tmp}" /var/tmp /usr/local/lib "\${HOME:-/root}"; do
  [ -d "$place" ] && [ -w "$place" ] || continue
  folder=$(mktemp -d "$place/custode-XXXXXXXX") || continue
  printf '#!/bin/sh\nexit 0\n' > "$folder/try" && chmod 755 "$folder/try" && "$folder/try" 2>/dev/null && break
  rm -rf "$folder"
  folder=
done
[ -n "$folder" ] || fail 1 'no folder was found here in which programs may run (noexec): mount /var/tmp without it, or set TMPDIR'
trap 'rm -rf "$folder"' EXIT
file="$folder/custode-agent.gz"
${
  ca === null
    ? ''
    : `if [ -z "$ca" ]; then
  ca="$folder/ca.pem"
  cat > "$ca" << 'CERTIFICATE'
${ca.trim()}
CERTIFICATE
  set -- "$@" --ca "$ca"
fi
`
}from='${server}/agent/custode-agent-linux-'$arch'.gz'
if command -v curl >/dev/null; then fetch() { curl -fsS --proto '=${new URL(server).protocol.slice(0, -1)}' \${ca:+--cacert "$ca"} "$from" -o "$file"; }
elif command -v wget >/dev/null; then fetch() { wget -q \${ca:+--ca-certificate="$ca"} "$from" -O "$file"; }
else fail 1 'neither curl nor wget is here: install one of them'
fi
# A server that is being restarted is back within seconds, and the download begins anew.
tries=1
until fetch; do
  [ $tries -lt 6 ] || fail 1 'the server is not reached from here: ${server}'
  tries=$((tries + 1))
  sleep 3
done
echo "$digest  $file" | sha256sum --check --status || fail 1 'the download is damaged: try again'
gunzip "$file" || fail ${installStatus['disk-full']} 'there is no room to unpack the agent in '"$folder"
chmod 755 "$folder/custode-agent"
CUSTODE_AGENT_KEY=$key "$folder/custode-agent" install --server '${server}' "$@"
`
}

/** The same for Windows PowerShell. @param digest of the packed program, or null: there is none */
export function installPowershell({ url: server, ca }: PublicAddress, digest: string | null): string {
  return `# Installs the Custode agent, in a PowerShell as administrator.
# Usage: & ([scriptblock]::Create((irm '${server}/agent/install.ps1'))) KEY [-Name NAME] [-LookOnly]
param([Parameter(Mandatory)][string] $Key, [string] $Name, [switch] $LookOnly)
$ErrorActionPreference = 'Stop'
$ProgressPreference = 'SilentlyContinue'
function Fail([int] $status, [string] $text) { throw "custode-agent [$status]: $text" }
$me = [Security.Principal.WindowsPrincipal][Security.Principal.WindowsIdentity]::GetCurrent()
if (-not $me.IsInRole([Security.Principal.WindowsBuiltInRole]::Administrator)) { Fail ${installStatus['no-rights']} 'run this in a PowerShell as administrator' }
$digests = @{ ${digest === null ? '' : `'AMD64' = '${digest}'`} }
$digest = $digests[$env:PROCESSOR_ARCHITECTURE]
if (-not $digest) { Fail ${installStatus['unsupported-system']} "this server has no agent for Windows on $env:PROCESSOR_ARCHITECTURE" }
$folder = Join-Path ([IO.Path]::GetTempPath()) ([IO.Path]::GetRandomFileName())
New-Item -ItemType Directory $folder | Out-Null
try {
  $file = Join-Path $folder 'custode-agent.gz'
  # A server that is being restarted is back within seconds, and the download begins anew.
  for ($try = 1; ; $try++) {
    try { Invoke-WebRequest -UseBasicParsing '${server}/agent/${windowsFile}' -OutFile $file; break }
    catch { if ($try -ge 6) { Fail 1 'the server is not reached from here: ${server}' }; Start-Sleep 3 }
  }
  if ((Get-FileHash -Algorithm SHA256 $file).Hash -ne $digest) { Fail 1 'the download is damaged: try again' }
  $program = Join-Path $folder 'custode-agent.exe'
  $packed = [IO.File]::OpenRead($file)
  $unpacked = [IO.File]::Create($program)
  $stream = New-Object IO.Compression.GZipStream $packed, ([IO.Compression.CompressionMode]::Decompress)
  try { $stream.CopyTo($unpacked) } finally { $stream.Dispose(); $unpacked.Dispose() }
  $words = @('install', '--server', '${server}')
  $env:CUSTODE_AGENT_KEY = $Key
${
  ca === null
    ? ''
    : `  $ca = Join-Path $folder 'ca.pem'
  [IO.File]::WriteAllText($ca, @'
${ca.trim()}
'@)
  $words += '--ca', $ca
`
}  if ($Name) { $words += '--name', $Name }
  if ($LookOnly) { $words += '--look-only' }
  & $program @words
  if ($LASTEXITCODE -ne 0) { Fail $LASTEXITCODE 'it was not installed; the line above says why' }
} finally {
  Remove-Item Env:CUSTODE_AGENT_KEY -ErrorAction SilentlyContinue
  Remove-Item -Recurse -Force $folder
}
`
}

const windowsFile = 'custode-agent-windows-x64.exe.gz'

/** Hands out the packaged agent and the script that installs it. Both are the same for everybody and hold no secret. */
export function serveAgent(app: FastifyInstance, folder: string, releases: Releases, address: PublicAddress): void {
  // Without a folder there is nothing, and the addresses say so.
  const fileOf = (arch: string) => join(folder, `custode-agent-linux-${arch}.gz`)
  route(app, {
    method: 'GET',
    url: '/agent/install.sh',
    access: 'public',
    summary: 'A shell script that installs the agent; it takes an enrolment key',
    answer: { media: 'text/x-shellscript' },
    async handle({ reply }) {
      const made: Record<string, string> = {}
      for (const arch of architectures) if (existsSync(fileOf(arch))) made[arch] = await releases.digest(fileOf(arch))
      void reply.type('text/x-shellscript')
      return installScript(address, made)
    },
  })
  route(app, {
    method: 'GET',
    url: '/agent/install.ps1',
    access: 'public',
    summary: 'The same for Windows PowerShell',
    answer: { media: 'text/plain' },
    async handle({ reply }) {
      const file = join(folder, windowsFile)
      void reply.type('text/plain; charset=utf-8')
      return installPowershell(address, folder && existsSync(file) ? await releases.digest(file) : null)
    },
  })
  route(app, {
    method: 'GET',
    url: '/agent/ca.pem',
    access: 'public',
    summary: 'The authority that has signed this server’s certificate, where machines do not know it',
    answer: { media: 'application/x-pem-file' },
    handle({ reply }) {
      if (address.ca === null) throw new ProblemError('no-authority')
      void reply.type('application/x-pem-file')
      return address.ca
    },
  })
  route(app, {
    method: 'GET',
    url: '/agent/:file',
    access: 'public',
    summary: 'The packaged agent',
    answer: { media: 'application/gzip' },
    handle({ request, reply }) {
      const { file: name } = request.params as { file: string }
      const file = [
        windowsFile,
        ...architectures.map((architecture) => `custode-agent-linux-${architecture}.gz`),
      ].includes(name)
        ? join(folder, name)
        : null
      if (!file || !existsSync(file)) throw new ProblemError('no-such-program')
      void reply.type('application/gzip').header('content-length', statSync(file).size)
      return createReadStream(file)
    },
  })
}
