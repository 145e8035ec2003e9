package store

import (
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/fault"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestHowDistancesAreMeasured(t *testing.T) {
	read := func(fields string) (*File, fault.List) {
		return Read(fmt.Appendf(nil, `{"format":"diadrom-store/1","store":{"currency":"EUR"%s}}`, fields))
	}
	for fields, factor := range map[string]string{"": "1.3", `,"distance_by":"road"`: "1.3", `,"road_factor":""`: "1.3",
		`,"distance_by":"road","road_factor":"1.45"`: "1.45", `,"road_factor":"1"`: "1", `,"road_factor":"10"`: "10"} {
		f, faults := read(fields)
		require.Empty(t, faults, fields)
		assert.Equal(t, factor, f.Store.Road().String(), fields)
		assert.Equal(t, strings.Contains(fields, `"road"`), f.Store.DistanceBy == ByRoad)
		again, faults := Read(f.Write())
		require.Empty(t, faults)
		assert.Equal(t, f.Store, again.Store)
	}
	straight, faults := read(`,"distance_by":"straight"`)
	require.Empty(t, faults)
	none, _ := read("")
	assert.Equal(t, string(none.Write()), string(straight.Write()), "absent means the same")
	for fields, path := range map[string]string{
		`,"distance_by":"air"`: "/store/distance_by choice", `,"road_factor":"0.99"`: "/store/road_factor range",
		`,"road_factor":"10.01"`: "/store/road_factor range", `,"road_factor":"-1"`: "/store/road_factor range",
		`,"road_factor":1.3`: "/store/road_factor type", `,"road_factor":"wide"`: "/store/road_factor number",
	} {
		_, faults := read(fields)
		require.Len(t, faults, 1, fields)
		assert.Equal(t, path, faults[0].Path+" "+faults[0].Code, fields)
	}
}
