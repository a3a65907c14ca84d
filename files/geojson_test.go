package files

import (
	"strings"
	"testing"
)

// Examples after RFC 7946, sections 1.5 and 3.1.
func TestReadMap(t *testing.T) {
	shapes, err := ReadMap([]byte(`{"type":"FeatureCollection","features":[
		{"type":"Feature","properties":{"prop0":"value0"},"geometry":{"type":"Point","coordinates":[102.0,0.5]}},
		{"type":"Feature","properties":{"prop0":"value0","prop1":0.0},"geometry":{"type":"LineString",
		"coordinates":[[102.0,0.0],[103.0,1.0],[104.0,0.0],[105.0,1.0]]}},
		{"type":"Feature","properties":{"kind":"water","name":"Sound"},
		"geometry":{"type":"Polygon","coordinates":[[[100.0,0.0],[101.0,0.0],[101.0,1.0],[100.0,1.0],[100.0,0.0]],
		[[100.8,0.8],[100.8,0.2],[100.2,0.2],[100.2,0.8],[100.8,0.8]]]}}]}`))
	if err != nil {
		t.Fatal(err)
	}
	if len(shapes) != 2 || shapes[0].Kind != "road" || shapes[0].Area || len(shapes[0].Lines[0]) != 4 || shapes[0].Lines[0][1].Lon != 103 ||
		shapes[0].Lines[0][1].Lat != 1 {
		t.Errorf("the line: %+v", shapes)
	}
	if s := shapes[1]; s.Kind != "water" || s.Name != "Sound" || !s.Area || len(s.Lines) != 2 {
		t.Errorf("the area with a hole: %+v", s)
	}
	for name, c := range map[string]struct{ data, want string }{
		"not JSON":     {"roads", "not a GeoJSON"},
		"one geometry": {`{"type":"Point","coordinates":[1,2]}`, "not a GeoJSON"},
		"points alone": {`{"type":"FeatureCollection",
			"features":[{"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":[1,2]}}]}`, "no areas and no lines"},
		"turned about": {`{"type":"FeatureCollection",
			"features":[{"type":"Feature","properties":{},"geometry":{"type":"LineString","coordinates":[[40,-50],[40,-120]]}}]}`,
			"longitude, then latitude"},
		"null geometry": {`{"type":"FeatureCollection",
			"features":[{"type":"Feature","properties":null,"geometry":null}]}`, "no areas and no lines"},
		"far too many": {`{"type":"FeatureCollection",
			"features":[{"type":"Feature","properties":{},"geometry":{"type":"LineString",
			"coordinates":[[1,2]` + strings.Repeat(",[1,2]", maxMapPoints) + `]}}]}`, "simplify it"},
		"an odd feature": {`{"type":"FeatureCollection","features":[null]}`, "GeoJSON"},
	} {
		if _, err := ReadMap([]byte(c.data)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
}

func FuzzReadMap(f *testing.F) {
	f.Add([]byte(`{"type":"FeatureCollection",
		"features":[{"type":"Feature","properties":{"kind":"road"},"geometry":{"type":"LineString","coordinates":[[1,2],[3,4]]}}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		shapes, err := ReadMap(data)
		if err == nil && len(shapes) == 0 {
			t.Error("no shapes and no error")
		}
		for _, s := range shapes {
			for _, l := range s.Lines {
				for _, p := range l {
					if !(p.Lat >= -90 && p.Lat <= 90 && p.Lon >= -180 && p.Lon <= 180) {
						t.Errorf("%+v is no place", p)
					}
				}
			}
		}
	})
}
