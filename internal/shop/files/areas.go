package files

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"

	"diadrom/internal/core/place"
	"diadrom/internal/shop/confined"
	"diadrom/internal/tables/geozones"

	"github.com/paulmach/orb"
)

// areasArgs are how drawn areas are read.
type areasArgs struct {
	Turned bool // latitude stands first
}

// writtenZone is a zone with its areas as GeoJSON.
type writtenZone struct {
	ID, Name string
	Areas    []json.RawMessage
}

// writtenAreas is what stands behind the zones.
type writtenAreas struct {
	Notes   []string
	Refused []writtenRefusal
}

type writtenRefusal struct {
	Feature      int
	Name, Reason string
	At           *orb.Point
}

// readAreas writes a line of JSON for each zone, an empty one, and a line for the rest.
func readAreas(args []byte, in io.Reader, out *confined.Out) error {
	var a areasArgs
	if err := json.Unmarshal(args, &a); err != nil {
		return err
	}
	data, err := io.ReadAll(in)
	if err != nil {
		return err
	}
	got, err := geozones.ParseAs(data, a.Turned)
	if err != nil {
		return err
	}
	w := json.NewEncoder(out)
	for i := range got.Zones {
		z := &got.Zones[i]
		zone := writtenZone{ID: z.ID, Name: z.Name}
		for _, area := range z.Areas {
			raw, err := area.MarshalJSON()
			if err != nil {
				return err
			}
			zone.Areas = append(zone.Areas, raw)
		}
		if err := w.Encode(zone); err != nil {
			return err
		}
	}
	rest := writtenAreas{Notes: got.Notes}
	for _, r := range got.Refused {
		rest.Refused = append(rest.Refused, writtenRefusal(r))
	}
	if err := w.Encode(writtenZone{}); err != nil {
		return err
	}
	return w.Encode(rest)
}

// Areas reads a file of drawn areas; turned takes the first number of each position for its latitude. The error is a
// [*confined.Failure] where the file has none, or another of [confined.Places.Run].
func (r *Reader) Areas(ctx context.Context, data []byte, turned bool) (out geozones.Read, err error) {
	err = r.Run(ctx, "areas", areasArgs{turned}, bytes.NewReader(data), int64(len(data)), func(in io.Reader) error {
		lines := json.NewDecoder(in)
		for {
			var z writtenZone
			if err := lines.Decode(&z); err != nil {
				return err
			}
			if z.Name == "" {
				break
			}
			if len(out.Zones) == geozones.MaxFeatures {
				return errors.New("more zones were read than a file may have")
			}
			zone := geozones.Zone{ID: z.ID, Name: z.Name}
			for _, raw := range z.Areas {
				a, err := place.ParseArea(raw)
				if err != nil {
					return err
				}
				zone.Areas = append(zone.Areas, a)
			}
			out.Zones = append(out.Zones, zone)
		}
		var rest writtenAreas
		if err := lines.Decode(&rest); err != nil {
			return err
		}
		out.Notes = rest.Notes
		for _, r := range rest.Refused {
			out.Refused = append(out.Refused, geozones.Refused(r))
		}
		return nil
	})
	return out, err
}
