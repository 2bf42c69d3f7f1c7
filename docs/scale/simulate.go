package main

import (
	"container/heap"
	"image/color"
	"math"
	"math/rand/v2"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"

	"grotta/docs/chart"
)

// outcome is what came of a simulation.
type outcome struct {
	seconds     float64
	layers      int
	workersBusy float64 // share of their time
	serviceBusy float64 // share of its cores' time
}

// event is the end of something: a worker's task, or the taking of its layers.
type event struct {
	at    float64
	task  *task
	taken bool // else a worker has just baked it
}

type events []event

func (e events) Len() int           { return len(e) }
func (e events) Less(i, j int) bool { return e[i].at < e[j].at }
func (e events) Swap(i, j int)      { e[i], e[j] = e[j], e[i] }
func (e *events) Push(x any)        { *e = append(*e, x.(event)) }
func (e *events) Pop() any {
	last := (*e)[len(*e)-1]
	*e = (*e)[:len(*e)-1]
	return last
}

// spread is how much the times of like tasks differ: the standard deviation of their logarithm.
const spread = 0.25

// simulate has so many workers bake so many levels that are all there at the beginning. Each worker has two
// orders on the queue, as the service gives them out; drafts go first. The layers of an order that is done wait
// for a core of the service, and only then the order's place is free.
func simulate(m *measured, workers, levels, cores int) outcome {
	random := rand.New(rand.NewPCG(22, 7))
	var now, later []task
	for i := range levels {
		for _, t := range m.tasks[i%len(m.tasks)] {
			t.seconds *= math.Exp(spread * random.NormFloat64())
			if t.draft {
				now = append(now, t)
			} else {
				later = append(later, t)
			}
		}
	}
	waiting := append(now, later...)
	var done outcome
	var queue events
	var ordered, back []*task // orders on the queue; results that wait for the service
	freeWorkers, freeCores, places := workers, cores, 2*workers
	clock := 0.0
	for {
		for places > 0 && len(waiting) > 0 {
			ordered, waiting, places = append(ordered, &waiting[0]), waiting[1:], places-1
		}
		for freeWorkers > 0 && len(ordered) > 0 {
			t := ordered[0]
			ordered, freeWorkers = ordered[1:], freeWorkers-1
			done.workersBusy += t.seconds
			heap.Push(&queue, event{clock + t.seconds, t, false})
		}
		for freeCores > 0 && len(back) > 0 {
			t := back[0]
			back, freeCores = back[1:], freeCores-1
			takes := m.take * float64(t.layers)
			done.serviceBusy += takes
			heap.Push(&queue, event{clock + takes, t, true})
		}
		if queue.Len() == 0 {
			break
		}
		e := heap.Pop(&queue).(event)
		clock = e.at
		if e.taken {
			freeCores, places = freeCores+1, places+1
			done.layers += e.task.layers
		} else {
			freeWorkers, back = freeWorkers+1, append(back, e.task)
		}
	}
	done.seconds = clock
	done.workersBusy /= clock * float64(workers)
	done.serviceBusy /= clock * float64(cores)
	return done
}

// drawing shows layers a second by workers, beside as many times what one does.
func drawing(counts []int, results []outcome) (*plot.Plot, error) {
	p := plot.New()
	p.Title.Text, p.X.Label.Text, p.Y.Label.Text = "A thousand levels on a cluster (simulated from measured times)", "workers", "layers a second"
	p.X.Min, p.Y.Min = 0, 0
	p.Add(plotter.NewGrid())
	var points plotter.XYs
	for i, n := range counts {
		points = append(points, plotter.XY{X: float64(n), Y: float64(results[i].layers) / results[i].seconds})
	}
	line, dots, err := plotter.NewLinePoints(points)
	if err != nil {
		return nil, err
	}
	line.Color, line.Width = color.NRGBA{0xb0, 0x70, 0x10, 255}, vg.Points(2)
	dots.Color, dots.Shape = line.Color, draw.CircleGlyph{}
	ideal := plotter.NewFunction(func(x float64) float64 { return x * points[0].Y })
	ideal.Color, ideal.Dashes = color.Gray{120}, []vg.Length{vg.Points(4), vg.Points(4)}
	p.Add(ideal, line, dots)
	p.Legend.Add("simulated", line, dots)
	p.Legend.Add("so many times one worker", ideal)
	p.Legend.Top, p.Legend.Left = true, true
	p.Y.Max = 1.2 * points[len(points)-1].Y
	return p, nil
}

func save(p *plot.Plot, file string) error {
	canvas := vgimg.NewWith(vgimg.UseWH(9*vg.Inch, 5*vg.Inch), vgimg.UseDPI(100))
	p.Draw(draw.New(canvas))
	return chart.Write(canvas, file)
}
