package main

import (
	"fmt"
	"image/color"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// drawChart draws the seconds of each program over the number of records, both on logarithmic axes.
func drawChart(name string, sizes []int, all [][]line) error {
	p := plot.New()
	p.Title.Text = "The whole job: two files in, all exceptions out"
	p.X.Label.Text, p.Y.Label.Text = "records on each side", "seconds"
	p.X.Scale, p.Y.Scale = plot.LogScale{}, plot.LogScale{}
	var ticks plot.ConstantTicks
	for _, n := range sizes {
		label := fmt.Sprintf("%d,000", n/1000)
		if n >= 1_000_000 {
			label = fmt.Sprintf("%g million", float64(n)/1e6)
		}
		ticks = append(ticks, plot.Tick{Value: float64(n), Label: label})
	}
	p.X.Tick.Marker, p.Y.Tick.Marker = ticks, plot.LogTicks{Prec: -1}
	p.X.Padding, p.Y.Padding = 0, 0
	p.Legend.Top, p.Legend.Left = true, true
	p.Legend.Padding, p.Legend.XOffs, p.Legend.YOffs = vg.Points(3), vg.Points(12), -vg.Points(6)
	p.Add(plotter.NewGrid())
	for i, series := range []struct {
		begins, name string
		color        color.Color
	}{
		{"PostgreSQL", "PostgreSQL, full outer join", color.RGBA{0x9a, 0x6b, 0x1f, 0xff}},
		{"SQLite", "SQLite, full outer join", color.RGBA{0xb8, 0x8a, 0x3c, 0xff}},
		{"service: run", "a run in the service", color.RGBA{0x5a, 0x78, 0x8f, 0xff}},
		{"sift", "sift", color.RGBA{0x0f, 0x76, 0x6e, 0xff}},
		{"parse", "only parsing both files", color.RGBA{0x55, 0x55, 0x55, 0xff}},
	} {
		var points plotter.XYs
		for k, lines := range all {
			for _, l := range lines {
				if strings.HasPrefix(l.what, series.begins) {
					points = append(points, plotter.XY{X: float64(sizes[k]), Y: l.m.wall.Seconds()})
				}
			}
		}
		if len(points) == 0 {
			continue
		}
		drawn, marks, err := plotter.NewLinePoints(points)
		if err != nil {
			return err
		}
		drawn.Color, marks.Color = series.color, series.color
		drawn.Width = vg.Points(1.6)
		marks.Shape = []draw.GlyphDrawer{draw.BoxGlyph{}, draw.PyramidGlyph{}, draw.RingGlyph{}, draw.CircleGlyph{}, draw.CrossGlyph{}}[i]
		p.Add(drawn, marks)
		p.Legend.Add(series.name, drawn, marks)
	}
	p.X.Min, p.X.Max = float64(sizes[0])/1.5, float64(sizes[len(sizes)-1])*1.5
	return p.Save(20*vg.Centimeter, 13*vg.Centimeter, name)
}
