package grid

import (
	"bytes"
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

// readPage reads the table of a page that has the most cells; the others are not named.
func readPage(data []byte) (*Grid, error) {
	text, encoding := sheet.Decode(data)
	root, err := html.Parse(bytes.NewReader(text))
	if err != nil {
		return nil, refuse("this page cannot be read")
	}
	var best []Row
	most := 0
	var find func(n *html.Node)
	find = func(n *html.Node) {
		if n.DataAtom == atom.Table {
			rows, cells := tableOf(n)
			if cells > most {
				best, most = rows, cells
			}
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			find(c)
		}
	}
	find(root)
	return &Grid{Format: Page, Encoding: encoding, Rows: best}, nil
}

// tableOf reads a table of a page without those in its cells. A cell that spans others is carried to them.
func tableOf(table *html.Node) (rows []Row, cells int) {
	type span struct {
		cell Cell
		left int
	}
	hanging := map[int]span{} // by column: what reaches down from a row above
	var read func(n *html.Node)
	read = func(n *html.Node) {
		for c := n.FirstChild; c != nil; c = c.NextSibling {
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
				rows = append(rows, row)
			}
		}
	}
	read(table)
	return rows, cells
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
	if n.Type == html.TextNode {
		return n.Data
	}
	if n.DataAtom == atom.Table || n.DataAtom == atom.Script || n.DataAtom == atom.Style {
		return ""
	}
	text := ""
	if n.DataAtom == atom.Br || n.DataAtom == atom.P {
		text = " "
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		text += words(c)
	}
	return text
}
