package files

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"
	_ "image/png" // read beside JPEG
	"net/http"

	"github.com/rwcarlsen/goexif/exif"
	"golang.org/x/image/draw"
	"golang.org/x/image/math/f64"
	_ "golang.org/x/image/webp" // read beside JPEG

	"manudex/core/refusal"
)

// Photo is a picture as it is kept: upright, no larger than it needs to be to be
// read, and without what the camera wrote into it, such as where it was taken.
type Photo struct {
	JPEG          []byte
	Width, Height int
}

// The most that a photo may be, in bytes and in pixels, and the longer edge of what is
// kept of it.
const (
	MostPhotoBytes  = 15 << 20
	mostPhotoPixels = 60_000_000
	keptPhotoEdge   = 1600
)

// ReadPhoto reads a JPEG, PNG or WebP, known by its content and not by its name.
func ReadPhoto(data []byte) (Photo, error) {
	kind := http.DetectContentType(data)
	switch {
	case len(data) == 0:
		return Photo{}, refusal.New("photo", "The photo is empty", "Choose a JPEG, PNG or WebP picture")
	case len(data) > MostPhotoBytes:
		return Photo{}, refusal.New("photo", "The photo is too large", fmt.Sprintf("Send at most %d MB", MostPhotoBytes>>20))
	case kind != "image/jpeg" && kind != "image/png" && kind != "image/webp":
		return Photo{}, refusal.New("photo", "That is no photo this page can read", "Send a JPEG, PNG or WebP picture")
	}
	size, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return Photo{}, damaged()
	}
	if size.Width*size.Height > mostPhotoPixels || size.Width < 1 || size.Height < 1 {
		return Photo{}, refusal.New("photo", fmt.Sprintf("The photo has %d × %d pixels", size.Width, size.Height),
			fmt.Sprintf("Send one of at most %d million", mostPhotoPixels/1_000_000))
	}
	src, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return Photo{}, damaged()
	}
	upright := turned(src, orientation(data))
	var out bytes.Buffer
	if err := jpeg.Encode(&out, upright, &jpeg.Options{Quality: 82}); err != nil {
		return Photo{}, fmt.Errorf("write a photo: %w", err)
	}
	return Photo{JPEG: out.Bytes(), Width: upright.Rect.Dx(), Height: upright.Rect.Dy()}, nil
}

func damaged() error {
	return refusal.New("photo", "The photo is damaged, or not whole", "Take it again, or send it again")
}

// orientation gives how the camera was held, 1 to 8 (Exif 2.32, tag 0x0112); 1 where
// the picture doesn't say.
func orientation(data []byte) (held int) {
	defer func() {
		if recover() != nil { // what is written into a picture is anybody's
			held = 1
		}
	}()
	x, err := exif.Decode(bytes.NewReader(data))
	if err != nil {
		return 1
	}
	tag, err := x.Get(exif.Orientation)
	if err != nil {
		return 1
	}
	if held, err = tag.Int(0); err != nil || held < 1 || held > 8 {
		return 1
	}
	return held
}

// turned draws a picture upright on white, its longer edge at most keptPhotoEdge.
func turned(src image.Image, held int) *image.RGBA {
	b := src.Bounds()
	w, h := float64(b.Dx()), float64(b.Dy())
	if held >= 5 {
		w, h = h, w
	}
	scale := min(1, keptPhotoEdge/max(w, h))
	dst := image.NewRGBA(image.Rect(0, 0, max(1, int(w*scale+0.5)), max(1, int(h*scale+0.5))))
	draw.Draw(dst, dst.Rect, image.White, image.Point{}, draw.Src)
	dw, dh, x, y := float64(dst.Rect.Dx()), float64(dst.Rect.Dy()), float64(b.Min.X), float64(b.Min.Y)
	if held >= 5 {
		scale = dw / float64(b.Dy())
	} else {
		scale = dw / float64(b.Dx())
	}
	s := scale
	to := map[int]f64.Aff3{ // where a point of the picture comes to lie
		1: {s, 0, 0, 0, s, 0}, 2: {-s, 0, dw, 0, s, 0}, 3: {-s, 0, dw, 0, -s, dh}, 4: {s, 0, 0, 0, -s, dh},
		5: {0, s, 0, s, 0, 0}, 6: {0, -s, dw, s, 0, 0}, 7: {0, -s, dw, -s, 0, dh}, 8: {0, s, 0, -s, 0, dh},
	}[held]
	to[2] -= to[0]*x + to[1]*y
	to[5] -= to[3]*x + to[4]*y
	draw.ApproxBiLinear.Transform(dst, to, src, b, draw.Over, nil)
	return dst
}
