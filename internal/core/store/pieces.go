package store

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"hash/crc32"
)

// Piece is a piece of a store file's text, with its SHA-256.
type Piece struct {
	Text []byte
	Sum  [sha256.Size]byte

	from []*byte // the bodies that it was made of
}

// Pieces are the canonical text of a store file, cut so that files with much in common have most pieces in common. They
// do not change once made.
type Pieces struct {
	List []Piece

	made map[*byte]int // the piece whose first body that is, by its place in List
}

// Where text is cut: behind an entry whose id says so, which an entry added elsewhere does not change, and where a piece
// has become so long.
const (
	entriesOfPiece = 64
	bytesOfPiece   = 64 << 10
)

// Write is the canonical text of the file that was taken apart: what [File.Write] writes.
func (p *Parts) Write() []byte { return p.Pieces(nil).Join() }

// Pieces cuts the canonical text of the file that was taken apart. Pieces of before, which may be nil, whose entries are
// the same are taken over.
func (p *Parts) Pieces(before *Pieces) *Pieces {
	out := &Pieces{made: map[*byte]int{}}
	head := func(text string) { // what belongs to no entry stands in front of the next
		out.List = append(out.List, pieceOf([]byte(text), nil))
	}
	var settings bytes.Buffer
	settings.WriteString("{\n  \"format\": \"" + Format + "\",\n  \"store\": ")
	indent(&settings, p.Settings, "  ")
	for _, name := range Lists {
		entries := p.Lists[name]
		if len(entries) == 0 {
			if !optional[name] {
				settings.WriteString(",\n  \"" + name + "\": []")
			}
			continue
		}
		settings.WriteString(",\n  \"" + name + "\": [\n")
		head(settings.String())
		settings.Reset()
		for i := 0; i < len(entries); {
			piece, n := p.piece(name, i, before)
			if len(piece.from) > 0 {
				out.made[piece.from[0]] = len(out.List)
			}
			out.List = append(out.List, piece)
			i += n
		}
		settings.WriteString("  ]")
	}
	head(settings.String() + "\n}\n")
	return out
}

// optional are the lists that are not written where they are empty.
var optional = map[string]bool{"boxes": true, "carriers": true, "costs": true}

// piece makes the piece that begins with an entry, and says how many entries it has.
func (p *Parts) piece(list string, first int, before *Pieces) (Piece, int) {
	entries := p.Lists[list]
	if before != nil {
		if at, ok := before.made[&entries[first].Body[0]]; ok {
			if was := &before.List[at]; sameBodies(was.from, entries[first:]) && was.ends(entries, first) {
				return *was, len(was.from)
			}
		}
	}
	var text bytes.Buffer
	var from []*byte
	for i := first; i < len(entries); i++ {
		text.WriteString("    ")
		indent(&text, entries[i].Body, "    ")
		if i+1 < len(entries) {
			text.WriteByte(',')
		}
		text.WriteByte('\n')
		from = append(from, &entries[i].Body[0])
		if text.Len() >= bytesOfPiece || crc32.ChecksumIEEE([]byte(entries[i].ID))%entriesOfPiece == 0 {
			break
		}
	}
	return pieceOf(text.Bytes(), from), len(from)
}

func pieceOf(text []byte, from []*byte) Piece { return Piece{text, sha256.Sum256(text), from} }

// sameBodies says whether entries begin with those that a piece was made of.
func sameBodies(from []*byte, entries []Entry) bool {
	if len(from) > len(entries) {
		return false
	}
	for i, body := range from {
		if &entries[i].Body[0] != body {
			return false
		}
	}
	return true
}

// ends says whether a piece ends where it would be cut now: the last one of a list has no comma behind it, and ends with
// the list wherever that is.
func (w *Piece) ends(entries []Entry, first int) bool {
	last := first+len(w.from) == len(entries)
	comma := bytes.HasSuffix(w.Text, []byte(",\n"))
	if last || !comma {
		return last && !comma
	}
	id := entries[first+len(w.from)-1].ID
	return len(w.Text) >= bytesOfPiece || crc32.ChecksumIEEE([]byte(id))%entriesOfPiece == 0
}

func indent(into *bytes.Buffer, body []byte, prefix string) {
	if err := json.Indent(into, body, prefix, "  "); err != nil {
		panic(err) // bodies were written by encoding/json
	}
}

// Join puts the text together.
func (p *Pieces) Join() []byte {
	n := 0
	for i := range p.List {
		n += len(p.List[i].Text)
	}
	text := make([]byte, 0, n)
	for i := range p.List {
		text = append(text, p.List[i].Text...)
	}
	return text
}

// Is says whether a text is that of the pieces.
func (p *Pieces) Is(text []byte) bool {
	for i := range p.List {
		if !bytes.HasPrefix(text, p.List[i].Text) {
			return false
		}
		text = text[len(p.List[i].Text):]
	}
	return len(text) == 0
}

// Cut cuts a text that is no store file's canonical text, or one of an earlier version, into pieces of the same length.
func Cut(text []byte) *Pieces {
	p := &Pieces{}
	for len(text) > 0 {
		n := min(len(text), bytesOfPiece)
		p.List = append(p.List, pieceOf(text[:n:n], nil))
		text = text[n:]
	}
	return p
}
