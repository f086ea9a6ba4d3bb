# What each picture shows; make.sh reads this.
shot install press-house 'glassjar create
glassjar install press-schedule
glassjar run press-schedule'
shot contents press-house 'glassjar install --quiet co-op-day
glassjar install --quiet --yes "co-op-day<2" harvest-ledger
glassjar contents --sizes
glassjar here'
quiet orchard-survey glassjar create
shot unsolved orchard-survey 'glassjar install brixmetre orchrad-map
glassjar install "press-schedule<2" "sugar-curve>=2"'
shot recreate press-house 'glassjar discard --yes .jar
glassjar recreate
rm .jar/bin/press-schedule
echo oops >> .jar/pyvenv.cfg
glassjar recreate --yes
glassjar recreate
glassjar label'
shot help press-house 'glassjar help'
