package zones

import (
	"cmp"
	"regexp"
	"strconv"
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

func (s *Screens) editZones(c *gin.Context, change func(*store.File) error, slipped func(*zonesView, string)) {
	shell.EditWork(
		s.Shell,
		c,
		"zones",
		func(state *draft.State) zonesView { return s.zonesView(c, state) },
		change,
		slipped,
	)
}

func (s *Screens) addZone(c *gin.Context) {
	written := c.PostForm("places")
	var id string
	// Read before anybody has to wait for it.
	text, err := s.draft.State().Reader().TextUntil(c.Request.Context(), written)
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.editPlaces(c, &id, func(f *store.File) error {
		added, err := edit.AddZone(f, &text)
		if err != nil {
			return err
		}
		id = added
		return nil
	}, func(v *zonesView) {
		row := v.row(id)
		row.tell(text)
		if row.Note != "" || row.Slip.Text != "" { // told where it was typed too: the row may be far below
			v.Added = row
		}
	}, func(v *zonesView, said string) { v.Typed, v.Slip = written, slipView{said, choices(text, written)} })
}

// editPlaces is editZones for what is pasted into the zone of an id, which the edit may set: taken tells what
// became of it when some of it was taken.
func (s *Screens) editPlaces(
	c *gin.Context,
	id *string,
	change func(*store.File) error,
	taken func(*zonesView),
	slipped func(*zonesView, string),
) {
	before := s.draft.State().Revision
	shell.EditWork(s.Shell, c, "zones", func(state *draft.State) zonesView {
		v := s.zonesViewWith(c, state, *id)
		if state.Revision > before {
			taken(&v)
		}
		return v
	}, change, slipped)
}

// row is the row of a zone; one that is not there takes what is told to it nowhere.
func (v *zonesView) row(id string) *zoneRow {
	for i := range v.Groups {
		for j := range v.Groups[i].Rows {
			if row := &v.Groups[i].Rows[j]; row.ID == id {
				return row
			}
		}
	}
	return &zoneRow{}
}

// spaces are what stands between the words of a typed part; line ends and tabs part places.
var spaces = regexp.MustCompile(` +`)

// choices offers the meanings of the first part of a text that has several, each as the whole text mended.
func choices(t typed.Text, typed string) (list []textChoice) {
	for _, slip := range t.Slips {
		if len(slip.Choices) == 0 {
			continue
		}
		whole := spaces.ReplaceAllString(typed, " ")
		for _, c := range slip.Choices {
			mended := c.Text
			if strings.Contains(whole, slip.Part) {
				mended = strings.Replace(whole, slip.Part, c.Text, 1)
			}
			list = append(list, textChoice{c.Text, c.Means, mended})
		}
		return list
	}
	return nil
}

// tell says what became of a pasted text; what was not taken stays in the field, to be mended.
func (r *zoneRow) tell(t typed.Text) {
	var said []string
	if t.Taken > 3 || len(t.Repeats) > 0 || r.More > 0 {
		text := strconv.Itoa(t.Taken) + " taken"
		if len(t.Repeats) > 0 {
			text += ", " + edit.FirstFew(t.Repeats) + " already there"
		}
		said = append(said, text)
	}
	if len(t.Unknown) > 0 {
		said = append(said, "added, though no list of places has "+edit.FirstFew(t.Unknown))
	}
	r.Note = strings.Join(said, "; ")
	if len(t.Slips) == 0 {
		return
	}
	left := make([]string, len(t.Slips))
	for i, s := range t.Slips {
		left[i] = s.Part
	}
	r.Typed = strings.Join(left, ", ")
	r.Slip = slipView{
		plural.Count(len(t.Slips), "part") + " not taken: " + edit.Reasons(t.Slips),
		choices(t, r.Typed),
	}
}

// editZone makes an edit of the zone of the address; slipped puts what is wrong into its row.
func (s *Screens) editZone(
	c *gin.Context,
	change func(*store.File, *store.Zone) error,
	slipped func(*zoneRow, string),
) {
	id := c.Param("zone")
	s.editZones(c, func(f *store.File) error {
		z := f.Zone(id)
		if z == nil {
			return shell.Refusef("this zone was removed meanwhile; nothing was changed")
		}
		return change(f, z)
	}, func(v *zonesView, text string) {
		if row := v.row(id); row.ID != "" {
			slipped(row, text)
		} else {
			v.Slip.Text = text
		}
	})
}

func (s *Screens) nameZone(c *gin.Context) {
	typed := c.PostForm("name")
	s.editZone(c, func(f *store.File, z *store.Zone) error {
		return edit.NameZone(f, z, typed)
	}, func(r *zoneRow, text string) { r.NameSlip, r.Rename = text, typed })
}

func (s *Screens) addPlaces(c *gin.Context) {
	id, written := c.Param("zone"), c.PostForm("places")
	reader := s.draft.State().Reader()
	if z := s.draft.State().File.Zone(id); z != nil {
		reader.Home = cmp.Or(z.Country(), reader.Home)
	}
	read, err := reader.TextUntil(c.Request.Context(), written) // before anybody has to wait for it
	if err != nil {
		s.Internal(c, err)
		return
	}
	var text typed.Text
	s.editPlaces(c, &id, func(f *store.File) error {
		text = read
		z := f.Zone(id)
		if z == nil {
			return shell.Refusef("this zone was removed meanwhile; nothing was changed")
		}
		return edit.AddPlaces(z, &text)
	}, func(v *zonesView) { v.row(id).tell(text) }, func(v *zonesView, said string) {
		if row := v.row(id); row.ID != "" {
			row.Slip, row.Typed = slipView{said, choices(text, written)}, written
		} else {
			v.Slip.Text = said
		}
	})
}

func (s *Screens) removePlace(c *gin.Context) {
	text := c.PostForm("text")
	s.editZone(c, func(_ *store.File, z *store.Zone) error {
		return edit.RemovePlace(z, partOf(c.PostForm("key")), text)
	}, func(r *zoneRow, text string) { r.Slip.Text = text })
}

// partOf reads which part of a zone a chip is: "places/2/1".
func partOf(key string) edit.Part {
	nowhere := edit.Part{Rule: -1}
	part := strings.Split(key, "/")
	if len(part) != 3 {
		return nowhere
	}
	rule, err1 := strconv.Atoi(part[1])
	code, err2 := strconv.Atoi(part[2])
	if err1 != nil || err2 != nil {
		return nowhere
	}
	return edit.Part{Except: part[0] == "except", Rule: rule, Code: code}
}

func (s *Screens) enableZone(c *gin.Context) {
	s.editZone(c, func(_ *store.File, z *store.Zone) error {
		z.Enabled = c.PostForm("enabled") == "on"
		return nil
	}, func(r *zoneRow, text string) { r.Slip.Text = text })
}

func (s *Screens) removeZone(c *gin.Context) {
	s.editZone(c, edit.RemoveZone, func(r *zoneRow, text string) { r.Slip.Text = text })
}

// onlyZone has no broader zone stand in where a zone has no price.
func (s *Screens) onlyZone(c *gin.Context) {
	s.editZone(c, func(_ *store.File, z *store.Zone) error {
		z.Only = c.PostForm("only") == "on"
		return nil
	}, func(r *zoneRow, text string) { r.Slip.Text = text })
}

// pinZone gives a zone a rank before all others, or takes its rank away.
func (s *Screens) pinZone(c *gin.Context) {
	s.editZone(c, func(f *store.File, z *store.Zone) error {
		edit.PinZone(f, z, c.PostForm("pinned") == "on")
		return nil
	}, func(r *zoneRow, text string) { r.Slip.Text = text })
}
