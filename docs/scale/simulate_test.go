package main

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Few workers are the bound, then the service's cores are: as work over capacity says.
func TestTheBoundsOfTheSimulation(t *testing.T) {
	m := &measured{tasks: [][]task{{{1, 10, 0, true}, {9, 10, 0, false}}}, take: 0.05}
	few := simulate(m, 4, 200, 2)
	assert.Equal(t, 4000, few.layers)
	assert.InEpsilon(t, 200*10.0*1.03/4, few.seconds, 0.08, "a lognormal spread of 0.25 has a mean of 1.03")
	assert.Greater(t, few.workersBusy, 0.9)
	many := simulate(m, 200, 2000, 2)
	assert.InEpsilon(t, 40000*0.05/2, many.seconds, 0.1)
	assert.Greater(t, many.serviceBusy, 0.9)
	assert.Less(t, many.workersBusy, 0.6)
}
