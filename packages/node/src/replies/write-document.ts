import { defined } from 'dunelight/host'
import type MarkdownIt from 'markdown-it'
import type { Token } from 'markdown-it'
import type { IParagraphOptions, IRunOptions, Paragraph, Table } from 'docx'

/** The kinds of files that a finished document can be written as, by their ending. */
export const DOCUMENT_ENDINGS = ['md', 'html', 'docx'] as const
export type DocumentEnding = (typeof DOCUMENT_ENDINGS)[number]

/**
 * Converts a document's Markdown to the content of a file. HTML in the text stays text, since it comes from records and models.
 *
 * @param text - The Markdown.
 * @param ending - `md`, `html` or `docx`.
 * @param title - The document's title.
 * @param language - The language of the text. Default: `en`.
 * @returns The file's content: text, or bytes for `docx`.
 * @example
 * const html = await writeDocument('Dear keeper', 'html', 'A letter')
 * html.includes('<p>Dear keeper</p>') // => true
 */
export async function writeDocument(text: string, ending: DocumentEnding, title: string, language = 'en'): Promise<string | Uint8Array> {
  switch (ending) {
    case 'md':
      return text.endsWith('\n') ? text : `${text}\n`
    case 'html':
      return page((await markdown()).render(text), title, language)
    case 'docx':
      return writeDocx((await markdown()).parse(text, {}), title)
  }
}

async function markdown(): Promise<MarkdownIt> {
  const { default: Parser } = await import('markdown-it')
  return new Parser({ html: false, linkify: false, typographer: false, breaks: true })
}

function escaped(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('"', '&quot;')
}

/** A page for print and screen, in one file. */
function page(body: string, title: string, language: string): string {
  return `<!doctype html>
<html lang="${escaped(language)}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<link rel="icon" href="data:,">
<title>${escaped(title)}</title>
<style>
body { font: 1.05rem/1.6 Georgia, "DejaVu Serif", serif; color: #1d2327; background: #fff; max-width: 36rem; margin: 3.5rem auto; padding: 0 1.5rem; }
h1 { font-size: 1.55rem; line-height: 1.25; margin: 0 0 1.6rem; }
h2 { font-size: 1.1rem; margin: 2rem 0 0.4rem; }
table { border-collapse: collapse; }
th, td { border-bottom: 1px solid #c9ced3; padding: 0.25rem 0.9rem 0.25rem 0; text-align: left; vertical-align: top; }
blockquote { margin: 1rem 0; padding-left: 1rem; border-left: 3px solid #c9ced3; }
@media print { body { margin: 0; max-width: none; } }
</style>
</head>
<body>
${body.trimEnd()}
</body>
</html>
`
}

async function writeDocx(tokens: readonly Token[], title: string): Promise<Uint8Array> {
  const docx = await import('docx')
  const writer = new DocxWriter(docx)
  const children = writer.blocks(tokens)
  const numbering = {
    config: [
      {
        reference: 'numbered',
        levels: [0, 1, 2].map((level) => ({
          level,
          format: docx.LevelFormat.DECIMAL,
          text: `%${level + 1}.`,
          style: { paragraph: { indent: { left: 480 * (level + 1), hanging: 360 } } },
        })),
      },
    ],
  }
  const heading = (size: number) => ({ run: { font: 'Georgia', size, bold: true, color: '1D2327' } })
  const styles = {
    default: { document: { run: { font: 'Georgia', size: 22 } }, heading1: heading(30), heading2: heading(24), heading3: heading(22) },
  }
  const document = new docx.Document({ title, creator: 'Dunelight', numbering, styles, sections: [{ children }] })
  return new Uint8Array(await docx.Packer.toBuffer(document))
}

type Docx = typeof import('docx')

/** The container of a paragraph: lists and quotations. */
interface Within {
  readonly lists: readonly ('bullet' | 'numbered')[]
  readonly quoted: boolean
}

/** Markdown's tokens as paragraphs and tables. */
class DocxWriter {
  constructor(private readonly docx: Docx) {}

  blocks(tokens: readonly Token[]): (Paragraph | Table)[] {
    const { Paragraph, HeadingLevel } = this.docx
    const headings = [
      HeadingLevel.HEADING_1,
      HeadingLevel.HEADING_2,
      HeadingLevel.HEADING_3,
      HeadingLevel.HEADING_4,
      HeadingLevel.HEADING_5,
      HeadingLevel.HEADING_6,
    ]
    const done: (Paragraph | Table)[] = []
    let within: Within = { lists: [], quoted: false }
    for (let i = 0; i < tokens.length; i++) {
      const token = defined(tokens[i])
      const { type } = token
      if (type === 'bullet_list_open' || type === 'ordered_list_open')
        within = { ...within, lists: [...within.lists, type === 'bullet_list_open' ? 'bullet' : 'numbered'] }
      else if (type === 'bullet_list_close' || type === 'ordered_list_close') within = { ...within, lists: within.lists.slice(0, -1) }
      else if (type === 'blockquote_open' || type === 'blockquote_close') within = { ...within, quoted: type === 'blockquote_open' }
      else if (type === 'heading_open')
        done.push(
          new Paragraph({
            heading: defined(headings[Number(token.tag.slice(1)) - 1]),
            children: this.runs(defined(tokens[++i])),
            spacing: { before: 240, after: 120 },
          }),
        )
      else if (type === 'table_open') {
        const end = tokens.findIndex((token, position) => position > i && token.type === 'table_close')
        done.push(this.table(tokens.slice(i, end)))
        i = end
      } else if (type === 'inline') done.push(new Paragraph({ ...this.place(within), children: this.runs(token) }))
      else if (type === 'fence' || type === 'code_block')
        for (const line of token.content.trimEnd().split('\n'))
          done.push(new Paragraph({ children: [this.run(line, { font: 'Courier New' })] }))
      else if (type === 'hr') done.push(new Paragraph({ thematicBreak: true }))
    }
    return done
  }

  private place({ lists, quoted }: Within): IParagraphOptions {
    const list = lists.at(-1)
    const level = Math.min(lists.length - 1, 2)
    if (list === 'bullet') return { bullet: { level }, spacing: { after: 60 } }
    if (list === 'numbered') return { numbering: { reference: 'numbered', level }, spacing: { after: 60 } }
    return { spacing: { before: 120, after: 120 }, ...(quoted && { indent: { left: 480 } }) }
  }

  private run(text: string, options: IRunOptions = {}) {
    return new this.docx.TextRun({ text, ...options })
  }

  private runs({ children }: Token) {
    let bold = false
    let italics = false
    return (children ?? []).flatMap((token) => {
      switch (token.type) {
        case 'strong_open':
        case 'strong_close':
          bold = token.type === 'strong_open'
          return []
        case 'em_open':
        case 'em_close':
          italics = token.type === 'em_open'
          return []
        case 'hardbreak':
        case 'softbreak':
          return [new this.docx.TextRun({ break: 1 })]
        case 'code_inline':
          return [this.run(token.content, { font: 'Courier New' })]
        default:
          return token.content === '' ? [] : [this.run(token.content, { ...(bold && { bold }), ...(italics && { italics }) })]
      }
    })
  }

  private table(tokens: readonly Token[]): Table {
    const { Table, TableRow, TableCell, Paragraph, WidthType } = this.docx
    const rows: Token[][] = []
    for (const token of tokens) {
      if (token.type === 'tr_open') rows.push([])
      else if (token.type === 'inline') defined(rows.at(-1)).push(token)
    }
    return new Table({
      width: { size: 100, type: WidthType.PERCENTAGE },
      rows: rows.map(
        (cells, i) =>
          new TableRow({
            tableHeader: i === 0,
            children: cells.map((cell) => new TableCell({ children: [new Paragraph({ children: this.runs(cell) })] })),
          }),
      ),
    })
  }
}
