package grid

import (
	"bytes"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/tables/sheet"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// isPage says whether a file is a page of HTML, or a part of one as it is copied.
func isPage(data []byte) bool {
	head := bytes.ToLower(bytes.TrimLeft(data[:min(len(data), 4096)], " \t\r\n\ufeff"))
	return bytes.HasPrefix(head, []byte("<")) && bytes.Contains(bytes.ToLower(data), []byte("<table"))
}

// readPage reads a table of a page: the one that is named, "Table 2", as the sheets of a workbook are, or the one with
// the most cells.
func readPage(data []byte, o Options, count *counter) (*Grid, error) {
	text, encoding := sheet.Decode(data)
	root, err := html.Parse(bytes.NewReader(text))
	if err != nil {
		return nil, refuse("this page cannot be read")
	}
	var tables [][]Row
	var tooLarge error
	largest, most := 0, 0
	var find func(n *html.Node)
	find = func(n *html.Node) {
		if n.DataAtom == atom.Table {
			rows, cells, err := tableOf(n, count)
			if err != nil {
				tooLarge = err
				return
			}
			if len(rows) > 1 && cells > len(rows) {
				if tables = append(tables, rows); cells > most {
					largest, most = len(tables)-1, cells
				}
			}
		}
		for c := n.FirstChild; c != nil && tooLarge == nil; c = c.NextSibling {
			find(c)
		}
	}
	find(root)
	if tooLarge != nil {
		return nil, tooLarge
	}
	g := &Grid{Format: Page, Encoding: encoding}
	switch n := len(tables); {
	case n == 0:
		return nil, refuse("this page has no table with rows and columns")
	case n == 1:
		g.Rows = tables[0]
		return g, nil
	case n > maxSheets:
		return nil, refuse("this page has %d tables; at most %d are read", n, maxSheets)
	}
	for i := range tables {
		g.Sheets = append(g.Sheets, "Table "+strconv.Itoa(i+1))
	}
	g.Sheet = g.Sheets[largest]
	if o.Sheet != "" {
		if g.Sheet, err = choose(g.Sheets, o, nil); err != nil {
			return nil, err
		}
	}
	g.Rows = tables[slices.Index(g.Sheets, g.Sheet)]
	return g, nil
}

// tableOf reads a table of a page without those in its cells. A cell that spans others is carried to them.
func tableOf(table *html.Node, count *counter) (rows []Row, cells int, err error) {
	type span struct {
		cell Cell
		left int
	}
	hanging := map[int]span{} // by column: what reaches down from a row above
	var read func(n *html.Node)
	read = func(n *html.Node) {
		for c := n.FirstChild; c != nil && err == nil; c = c.NextSibling {
			switch c.DataAtom {
			case atom.Thead, atom.Tbody, atom.Tfoot:
				read(c)
			case atom.Tr:
				row := Row{Line: len(rows) + 1}
				down := func() {
					for {
						h, ok := hanging[len(row.Cells)]
						if !ok || len(row.Cells) > sheet.MaxColumns {
							return
						}
						if h.left--; h.left == 0 {
							delete(hanging, len(row.Cells))
						} else {
							hanging[len(row.Cells)] = h
						}
						row.Cells = append(row.Cells, h.cell)
					}
				}
				for d := c.FirstChild; d != nil; d = d.NextSibling {
					if d.DataAtom != atom.Td && d.DataAtom != atom.Th {
						continue
					}
					down()
					cell := Cell{Text: clean(strings.Join(strings.Fields(words(d)), " "))}
					cells++
					across, below := spanOf(d, "colspan"), spanOf(d, "rowspan")
					for i := range across {
						if len(row.Cells) > sheet.MaxColumns {
							break
						}
						one := cell
						one.Carried = i > 0
						if below > 1 {
							hanging[len(row.Cells)] = span{Cell{Text: cell.Text, Carried: true}, below - 1}
						}
						row.Cells = append(row.Cells, one)
					}
				}
				down()
				for i := range row.Cells {
					if err = count.add(&row.Cells[i], 1); err != nil {
						return
					}
				}
				rows = append(rows, row)
			}
		}
	}
	read(table)
	return rows, cells, err
}

// spanOf is how many columns or rows a cell takes.
func spanOf(n *html.Node, name string) int {
	for _, a := range n.Attr {
		if a.Key == name {
			if v, err := strconv.Atoi(strings.TrimSpace(a.Val)); err == nil && v > 1 {
				return min(v, sheet.MaxColumns)
			}
		}
	}
	return 1
}

// words is the text of a cell, a line break as a space.
func words(n *html.Node) string {
	var text strings.Builder
	var write func(n *html.Node)
	write = func(n *html.Node) {
		switch {
		case n.Type == html.TextNode:
			text.WriteString(n.Data)
			return
		case n.DataAtom == atom.Table || n.DataAtom == atom.Script || n.DataAtom == atom.Style:
			return
		case n.DataAtom == atom.Br || n.DataAtom == atom.P:
			text.WriteByte(' ')
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			write(c)
		}
	}
	write(n)
	return text.String()
}
