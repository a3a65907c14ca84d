package draw

import (
	"encoding/xml"
	"errors"
	"io"
	"strings"
	"testing"

	"manudex/core/geo"
)

// A map is well-formed, has what it is given where it lies, and leaves out
// what lies outside.
func TestMap(t *testing.T) {
	v := geo.View{Centre: geo.Point{Lat: 40, Lon: -50}, Across: 2000, High: 1000}
	works := v.Point(0.5, 0.5)
	pins := []Pin{{At: works, Kind: "site", Label: `Plates & "Lamps" <works>`, Fence: 200},
		{At: v.Point(0.9, 0.5), Kind: "off", Label: "3.1 km", From: &works}, {At: v.Point(1.4, 0.5), Kind: "punch", Label: "elsewhere"}}
	shapes := []geo.Shape{{Kind: "road", Lines: [][]geo.Point{{v.Point(0, 0), v.Point(1, 1)}}},
		{Kind: "water", Area: true, Lines: [][]geo.Point{{v.Point(0, 0), v.Point(0.5, 0), v.Point(0, 0.5)}}},
		{Kind: "motorway", Lines: [][]geo.Point{{v.Point(0, 0), v.Point(0, 1)}}}}
	far := []geo.Point{v.Point(2, 2), v.Point(3, 3), v.Point(2, 3)}
	shapes = append(shapes, geo.Shape{Kind: "river", Lines: [][]geo.Point{far}},
		geo.Shape{Kind: "land", Area: true, Lines: [][]geo.Point{{v.Point(-9, -9), v.Point(9, -9), v.Point(9, 9), v.Point(-9, 9)}}})
	out := string(Map(nil, v, 600, shapes, pins, "Where it was", `data-pick="yes"`))
	d := xml.NewDecoder(strings.NewReader(out))
	for {
		if _, err := d.Token(); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			t.Fatalf("%v in %s", err, out)
		}
	}
	for _, want := range []string{`data-pick="yes"`, `<circle class="fence" cx="300.0" cy="150.0" r="60.0"/>`,
		`<rect class="pin" x="296.0" y="146.0"`, `class="road" d="M0.0 0.0L600.0 300.0"`, `class="water" d="M0.0 0.0L300.0 0.0L0.0 150.0z"`,
		`<line class="lk h" x1="300.0" y1="150.0" x2="540.0" y2="150.0"/>`, `aria-label="Where it was"`,
		`Plates &amp; &quot;Lamps&quot; &lt;works&gt;`, "500 m"} {
		if !strings.Contains(out, want) {
			t.Errorf("no %s in %s", want, out)
		}
	}
	if strings.Contains(out, "river") || !strings.Contains(out, `class="land"`) {
		t.Errorf("a river far off is drawn, or the land all around is not: %s", out)
	}
	if strings.Contains(out, "elsewhere") || strings.Index(out, "water") > strings.Index(out, `"road"`) {
		t.Errorf("what lies outside is drawn, or water over roads: %s", out)
	}
}
