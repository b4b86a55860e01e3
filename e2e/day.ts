import { expect, type Locator, type Page } from '@playwright/test'
import { demoLead } from '../launcher/demo.mjs'

export const url = () => process.env.E2E_URL!

/** Signs in as a person would. */
export async function signIn(page: Page, email = demoLead.email): Promise<void> {
  await page.goto(url())
  await page.getByLabel('E-mail address').fill(email)
  await page.getByLabel('Password').fill(demoLead.password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('heading', { name: 'Rounds' })).toBeVisible()
}

/** Presses a button of the panel that makes things happen on a stand-in device. */
export async function make(page: Page, device: string, button: string): Promise<void> {
  const panel = await page.context().newPage()
  await panel.goto(process.env.E2E_PANEL!)
  await panel.locator(`#${device}`).getByRole('button', { name: button, exact: true }).click()
  await expect(panel.getByRole('status')).toContainText(device)
  await panel.close()
}

export function group(page: Page, name: string | RegExp): Locator {
  return page.getByRole('region', { name })
}

/** Sets a value of a rule in its sentence. */
export async function setValue(page: Page, sentence: Locator, parameter: string, value: string): Promise<void> {
  await sentence.locator(`[data-parameter="${parameter}"]`).click()
  await page.locator('.editor input').fill(value)
  await page.getByRole('button', { name: 'Use', exact: true }).click()
}

/** Saves once what it would do is counted, as somebody does who reads it first. */
export async function saveBy(button: Locator): Promise<void> {
  await expect(button.page().locator('.impact[aria-busy="true"]')).toHaveCount(0)
  await button.click()
}

/** Finds a device on the board, as somebody does who knows its name, and opens its page. */
export async function openDevice(page: Page, name: string): Promise<void> {
  await page.goto(`${url()}/estate`)
  await page.getByLabel('Narrow by words').fill(name)
  await page.getByRole('link', { name, exact: true }).click()
  // Parts of it are called as parts of the board are.
  await expect(page.getByRole('heading', { level: 1 })).toContainText(name)
}

/** Chooses what is offered under these words, by keyboard and pointer as people mix them. */
export async function choose(labelled: Locator, words: string): Promise<void> {
  // The list that it opens has the same label.
  const field = labelled.and(labelled.page().getByRole('combobox'))
  await field.focus()
  await field.press('Enter')
  if (await field.isEditable()) await field.fill(words)
  await field.page().getByRole('option', { name: words, exact: true }).filter({ visible: true }).click()
}

/** Ticks a box, or takes one of several choices, by its words: the box is drawn, and what is clicked is its label. */
export async function tick(scope: Page | Locator, words: string | RegExp): Promise<void> {
  const label = scope.locator('label').filter({ hasText: words })
  await label.click()
  await expect(label.locator('input')).toBeChecked()
}
