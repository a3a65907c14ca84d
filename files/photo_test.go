package files

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"

	"github.com/rwcarlsen/goexif/exif"
)

// picture is red in its upper left quarter and white elsewhere.
func picture(w, h int) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.RGBA{255, 255, 255, 255}
			if x < w/2 && y < h/2 {
				c = color.RGBA{220, 0, 0, 255}
			}
			img.Set(x, y, c)
		}
	}
	return img
}

// taken is a JPEG as a camera writes it: how it was held, and where it was (Exif 2.32,
// a TIFF of two directories in the APP1 segment).
func taken(t *testing.T, w, h, held int) []byte {
	t.Helper()
	var plain bytes.Buffer
	if err := jpeg.Encode(&plain, picture(w, h), nil); err != nil {
		t.Fatal(err)
	}
	le := binary.LittleEndian
	tiff := []byte("II*\x00\x08\x00\x00\x00")
	entry := func(tag, kind uint16, n, value uint32) {
		tiff = le.AppendUint16(tiff, tag)
		tiff = le.AppendUint16(tiff, kind)
		tiff = le.AppendUint32(tiff, n)
		tiff = le.AppendUint32(tiff, value)
	}
	tiff = le.AppendUint16(tiff, 2)
	entry(0x0112, 3, 1, uint32(held))
	entry(0x8825, 4, 1, 38) // where the directory of the place is
	tiff = le.AppendUint32(tiff, 0)
	tiff = le.AppendUint16(tiff, 4)
	entry(0x0001, 2, 2, 'N')
	entry(0x0002, 5, 3, 92)
	entry(0x0003, 2, 2, 'W')
	entry(0x0004, 5, 3, 116)
	tiff = le.AppendUint32(tiff, 0)
	for _, n := range []uint32{40, 1, 12, 1, 23, 1, 50, 1, 8, 1, 52, 1} {
		tiff = le.AppendUint32(tiff, n)
	}
	segment := append([]byte("Exif\x00\x00"), tiff...)
	app1 := binary.BigEndian.AppendUint16([]byte{0xFF, 0xE1}, uint16(len(segment)+2))
	return append(append([]byte{0xFF, 0xD8}, append(app1, segment...)...), plain.Bytes()[2:]...)
}

// However the camera was held, the photo is upright; where it was taken is gone.
func TestPhotosAreTurned(t *testing.T) {
	red := map[int]string{1: "left top", 2: "right top", 3: "right bottom", 4: "left bottom", 5: "left top", 6: "right top",
		7: "right bottom", 8: "left bottom"} // where what was upper left comes to lie, Exif 2.32 table 8
	for held, want := range red {
		data := taken(t, 60, 40, held)
		if x, err := exif.Decode(bytes.NewReader(data)); err != nil {
			t.Fatal(err)
		} else if lat, _, err := x.LatLong(); err != nil || lat < 40 {
			t.Fatalf("the example has no place: %v", err)
		}
		p, err := ReadPhoto(data)
		if err != nil {
			t.Fatal(err)
		}
		if wide := p.Width == 60 && p.Height == 40; wide != (held < 5) {
			t.Errorf("held %d: %d × %d", held, p.Width, p.Height)
		}
		if _, err := exif.Decode(bytes.NewReader(p.JPEG)); err == nil || bytes.Contains(p.JPEG, []byte("Exif")) {
			t.Errorf("held %d: what the camera wrote is still in it", held)
		}
		img, err := jpeg.Decode(bytes.NewReader(p.JPEG))
		if err != nil {
			t.Fatal(err)
		}
		var got string
		for name, at := range map[string]image.Point{"left top": {p.Width / 5, p.Height / 5}, "right top": {p.Width * 4 / 5, p.Height / 5},
			"left bottom": {p.Width / 5, p.Height * 4 / 5}, "right bottom": {p.Width * 4 / 5, p.Height * 4 / 5}} {
			if _, g, _, _ := img.At(at.X, at.Y).RGBA(); g < 0x4000 {
				got += name
			}
		}
		if got != want {
			t.Errorf("held %d: the red is %q, want %q", held, got, want)
		}
	}
}

func TestPhotos(t *testing.T) {
	var small, large bytes.Buffer
	if err := png.Encode(&small, picture(30, 20)); err != nil {
		t.Fatal(err)
	}
	if err := png.Encode(&large, picture(3200, 1000)); err != nil {
		t.Fatal(err)
	}
	p, err := ReadPhoto(large.Bytes())
	if err != nil || p.Width != 1600 || p.Height != 500 {
		t.Errorf("a large one: %d × %d, %v", p.Width, p.Height, err)
	}
	if p, err = ReadPhoto(small.Bytes()); err != nil || p.Width != 30 {
		t.Errorf("a small one: %d × %d, %v", p.Width, p.Height, err)
	}
	webp := []byte("RIFF\x3c\x00\x00\x00WEBPVP8L\x2f\x00\x00\x00\x2f\x00\x00\x00\x10\x07\x10\x11\x11\x88\x88\xfe\x07\x00")
	huge := bytes.Clone(small.Bytes())
	binary.BigEndian.PutUint32(huge[16:], 60_000) // its head says so; the rest is never read
	binary.BigEndian.PutUint32(huge[20:], 60_000)
	binary.BigEndian.PutUint32(huge[29:], crc32.ChecksumIEEE(huge[12:29]))
	if p, err := ReadPhoto(webp); err != nil || p.Width != 1 || p.Height != 1 {
		t.Errorf("a WebP: %d × %d, %v", p.Width, p.Height, err)
	}
	for _, c := range []struct {
		name string
		data []byte
		want string
	}{
		{"nothing", nil, "empty"}, {"a page named photo.jpg", []byte("<html><script>"), "no photo"},
		{"a drawing that runs", []byte(`<?xml version="1.0"?><svg onload="x()"/>`), "no photo"},
		{"half a JPEG", taken(t, 60, 40, 1)[:400], "damaged"}, {"half a WebP", webp[:26], "damaged"},
		{"a picture of gigapixels", huge, "pixels"}, {"too many bytes", make([]byte, MostPhotoBytes+1), "too large"},
	} {
		if _, err := ReadPhoto(c.data); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", c.name, err, c.want)
		}
	}
}

func FuzzReadPhoto(f *testing.F) {
	var small bytes.Buffer
	if err := png.Encode(&small, picture(3, 2)); err != nil {
		f.Fatal(err)
	}
	f.Add(small.Bytes())
	f.Add([]byte("RIFF\x1a\x00\x00\x00WEBPVP8L"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if p, err := ReadPhoto(data); err == nil && (len(p.JPEG) == 0 || p.Width > keptPhotoEdge || p.Height > keptPhotoEdge) {
			t.Errorf("%d bytes, %d × %d", len(p.JPEG), p.Width, p.Height)
		}
	})
}
