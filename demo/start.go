package demo

import "grotta/core/level"

// Start is what a new level begins as: "demo" is Saltmarsh Light at dusk, "noon"
// and "night" the same station then, "mill" and "yard" the Paper Mill and the Tram
// Yard, "room" an empty room with a lamp to try things in; anything else is empty.
func Start(from string) *level.Level {
	make, ok := map[string]func() *level.Level{
		"demo": Saltmarsh, "noon": Noon, "night": Night, "mill": Mill, "yard": Yard, "room": Room,
	}[from]
	if !ok {
		return level.New("")
	}
	return make()
}

// Levels are the demo's, the main one last, as the newest stands first in a list.
var Levels = []string{"yard", "mill", "night", "noon", "demo"}

// Room is a plain room of 6 by 4 m with a crate and a lamp.
func Room() *level.Level {
	b := &builder{level.New("New room")}
	b.material("wall-paint", "Wall", "#c8c4bc")
	b.material("floor-board", "Floor", "#8a7a66")
	b.box("floor", "floor-board", level.Vec{0, -0.1, 0}, level.Vec{6.4, 0.2, 4.4})
	b.box("ceiling", "wall-paint", level.Vec{0, 2.9, 0}, level.Vec{6.4, 0.2, 4.4})
	b.wall("north", "wall-paint", true, -3.2, 3.2, -2.1, 0, 2.8, 0.2)
	b.wall("south", "wall-paint", true, -3.2, 3.2, 2.1, 0, 2.8, 0.2, opening{-0.5, 0.5, 0, 2.1})
	b.wall("west", "wall-paint", false, -2, 2, -3.1, 0, 2.8, 0.2)
	b.wall("east", "wall-paint", false, -2, 2, 3.1, 0, 2.8, 0.2)
	b.box("crate", "floor-board", level.Vec{1.4, 0.4, -0.9}, level.Vec{0.8, 0.8, 0.8})
	z := b.zone("room", "Room", "story", "indoor", level.Box{Min: level.Vec{-3.1, -0.1, -2.1}, Max: level.Vec{3.1, 2.9, 2.1}})
	z.Ambient = &level.Ambient{Color: "#ffffff", Strength: 1}
	lamp := b.light("lamp", "Lamp", level.Point, level.Vec{0, 2.3, 0}, 60, 2900)
	lamp.RangeM, lamp.RadiusM = 8, 0.06
	b.l.Look.ExposureEV = 4
	b.viewpoint("door", "From the door", level.Vec{-0.6, 1.65, 1.9}, level.Vec{0.6, 1.0, -1.5}, 72)
	return b.l
}
