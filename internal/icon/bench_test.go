package icon

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sixMasters are pictures of the kinds that scaling treats differently, 1024 by 1024 pixels.
func sixMasters(t *testing.T) map[string]*image.NRGBA {
	const n = 1024
	r := rand.New(rand.NewPCG(3, 4))
	blank := func() *image.NRGBA { return image.NewNRGBA(image.Rect(0, 0, n, n)) }
	each := func(f func(x, y int) color.NRGBA) *image.NRGBA {
		m := blank()
		for y := range n {
			for x := range n {
				m.SetNRGBA(x, y, f(x, y))
			}
		}
		return m
	}
	wave := func(x, y int, a, b float64) float64 {
		return math.Sin(float64(x)/a+math.Sin(float64(y)/b)) * math.Cos(float64(y)/a-math.Sin(float64(x)/b))
	}
	byteOf := func(f float64) uint8 { return uint8(max(0, min(255, f))) }
	photo := each(func(x, y int) color.NRGBA {
		noise := r.Float64()*16 - 8
		return color.NRGBA{byteOf(120 + 70*wave(x, y, 90, 40) + noise), byteOf(130 + 60*wave(x, y, 140, 30) + noise),
			byteOf(150 + 50*wave(y, x, 200, 60) + noise), 255}
	})
	mark, err := LoadMaster(demoMark)
	require.NoError(t, err)
	p, err := mark.square(n)
	require.NoError(t, err)
	flat := blank()
	draw.Draw(flat, flat.Rect, image.NewUniform(color.NRGBA{11, 79, 108, 255}), image.Point{}, draw.Src)
	draw.Draw(flat, flat.Rect, p.image(), image.Point{}, draw.Over)
	lines := each(func(x, y int) color.NRGBA {
		if (x+y)%41 < 3 || (x*2-y+4096)%67 < 3 {
			return color.NRGBA{20, 30, 60, 255}
		}
		return color.NRGBA{250, 248, 240, 255}
	})
	words := canvas{NRGBA: blank()}
	words.fill(words.Rect, color.NRGBA{255, 255, 255, 255})
	for i := range 12 {
		words.write("Low water at Skerra", 20, 80+i*82, textStyle{float64(30 + i*6), i%2 == 0}, color.NRGBA{30, 30, 30, 255},
			0, 0)
	}
	clear := each(func(x, y int) color.NRGBA {
		d := math.Hypot(float64(x-n/2), float64(y-n/2))
		return color.NRGBA{200, byteOf(float64(x) / 4), 60, byteOf(255 * (1.1 - d/480))}
	})
	tiny := each(func(x, y int) color.NRGBA {
		if (x/5+y/5)%2 == 0 && (x/130+y/130)%2 == 0 {
			return color.NRGBA{220, 40, 40, 255}
		}
		return color.NRGBA{byteOf(float64(y) / 5), 120, 160, 255}
	})
	return map[string]*image.NRGBA{"photo": photo, "flat logo": flat, "thin lines": lines, "text": words.NRGBA,
		"transparency": clear, "tiny details": tiny}
}

// similarity is the mean structural similarity of two pictures of one size, over windows of 8 by 8 pixels, in
// lightness on white.
func similarity(a, b image.Image) float64 {
	grey := func(m image.Image) []float64 {
		r := m.Bounds()
		out := make([]float64, 0, r.Dx()*r.Dy())
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				c := color.NRGBAModel.Convert(m.At(x, y)).(color.NRGBA)
				l := 0.299*float64(c.R) + 0.587*float64(c.G) + 0.114*float64(c.B)
				out = append(out, l*float64(c.A)/255+255-float64(c.A))
			}
		}
		return out
	}
	w, h := a.Bounds().Dx(), a.Bounds().Dy()
	ga, gb := grey(a), grey(b)
	const win, c1, c2 = 8, 6.5025, 58.5225
	sum, n := 0.0, 0
	for y := 0; y+win <= h; y += 4 {
		for x := 0; x+win <= w; x += 4 {
			var ma, mb, va, vb, cov float64
			for j := range win {
				for i := range win {
					p, q := ga[(y+j)*w+x+i], gb[(y+j)*w+x+i]
					ma, mb, va, vb, cov = ma+p, mb+q, va+p*p, vb+q*q, cov+p*q
				}
			}
			const k = win * win
			ma, mb = ma/k, mb/k
			va, vb, cov = va/k-ma*ma, vb/k-mb*mb, cov/k-ma*mb
			sum += (2*ma*mb + c1) * (2*cov + c2) / ((ma*ma + mb*mb + c1) * (va + vb + c2))
			n++
		}
	}
	return sum / float64(n)
}

// TestBenchAgainstResizer makes the same sizes of six masters here and with a public image tool (Debian's
// libvips-tools), in linear light with a Lanczos kernel and the strongest deflate, and compares likeness, bytes and
// time.
func TestBenchAgainstResizer(t *testing.T) {
	if os.Getenv("TACHYFORM_BENCH") == "" {
		t.Skip("a measurement; make bench runs it")
	}
	tool, err := exec.LookPath("vipsthumbnail")
	if err != nil {
		t.Skip("SKIPPED: the tool to compare with is not there; apt-get install libvips-tools")
	}
	sizes := []int{512, 192, 180, 48, 32, 16}
	var ours, theirs time.Duration
	allHere, allThere := 0, 0
	for name, m := range sixMasters(t) {
		dir := t.TempDir()
		file := filepath.Join(dir, "master.png")
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, m))
		require.NoError(t, os.WriteFile(file, b.Bytes(), 0o644))
		bytesHere, bytesThere, least := 0, 0, 1.0
		start := time.Now()
		master, err := LoadMaster(file)
		require.NoError(t, err)
		made := map[int][]byte{}
		var wait sync.WaitGroup // side by side, as a set is made
		var mu sync.Mutex
		for _, size := range sizes {
			wait.Go(func() {
				data, err := clear(master, size)
				assert.NoError(t, err)
				mu.Lock()
				defer mu.Unlock()
				made[size] = data
				bytesHere += len(data)
			})
		}
		wait.Wait()
		ours += time.Since(start)
		start = time.Now()
		for _, size := range sizes {
			out := filepath.Join(dir, fmt.Sprintf("%d.png[compression=9]", size))
			text, err := exec.Command(tool, file, "--size", fmt.Sprintf("%dx%d", size, size), "--linear", "-o",
				out).CombinedOutput()
			require.NoError(t, err, string(text))
		}
		theirs += time.Since(start)
		for _, size := range sizes {
			data, err := os.ReadFile(filepath.Join(dir, fmt.Sprintf("%d.png", size)))
			require.NoError(t, err)
			bytesThere += len(data)
			there, err := png.Decode(bytes.NewReader(data))
			require.NoError(t, err)
			s := similarity(decode(t, made[size]), there)
			least = min(least, s)
		}
		t.Logf("%-13s likeness at least %.4f, %d bytes here, %d there", name, least, bytesHere, bytesThere)
		assert.GreaterOrEqual(t, least, 0.98, name)
		allHere, allThere = allHere+bytesHere, allThere+bytesThere
	}
	t.Logf("%d bytes here, %d there", allHere, allThere)
	assert.LessOrEqual(t, allHere, allThere)
	t.Logf("time for all: %v here, %v there", ours.Round(time.Millisecond), theirs.Round(time.Millisecond))
}
