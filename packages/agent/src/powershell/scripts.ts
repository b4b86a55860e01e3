import type { ServiceAction } from '#core'
import { quoted } from './powershell'

/**
 * What Windows machines are asked over their remote management, and what the agent there does; read by a grammar in the
 * tests.
 */

/** Which system, which architecture, whether an agent is installed. */
export const insideScript = `(Get-CimInstance Win32_OperatingSystem).Caption; $env:PROCESSOR_ARCHITECTURE; if (Test-Path "$env:ProgramFiles\\Custode Agent\\custode-agent.exe") { 'agent' } else { 'none' }`

/** What the machine is, may and has. */
export const surveyScript = `$me = [Security.Principal.WindowsPrincipal][Security.Principal.WindowsIdentity]::GetCurrent()
@{ architecture = $env:PROCESSOR_ARCHITECTURE; administrator = $me.IsInRole([Security.Principal.WindowsBuiltInRole]::Administrator); free = (Get-PSDrive ($env:SystemDrive.TrimEnd(':'))).Free } | ConvertTo-Json -Compress`

/** Runs the server's installation script. */
export function installCall(script: string, key: string, name: string | null): string {
  return `& ([scriptblock]::Create(${quoted(script)})) ${quoted(key)}${name === null ? '' : ` -Name ${quoted(name)}`}`
}

/** Runs what comes by the input: it stands in no list of processes. */
export const readerScript = '& ([scriptblock]::Create([Console]::In.ReadToEnd()))'

const verbs = { start: 'Start-Service', stop: 'Stop-Service', restart: 'Restart-Service' } as const
export function serviceScript({ verb, service }: ServiceAction): string {
  return `$ErrorActionPreference = 'Stop'; ${verbs[verb]} -Name ${quoted(service)}`
}

/** The identifier of who owns a folder (a SID, [MS-DTYP], section 2.4.2.1). */
export function ownerScript(folder: string): string {
  return `$ErrorActionPreference = 'Stop'; (Get-Acl -LiteralPath ${quoted(folder)}).GetOwner([Security.Principal.SecurityIdentifier]).Value`
}
