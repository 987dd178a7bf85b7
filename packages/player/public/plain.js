// A browser that runs no modules shows pictures that the service draws.
location.replace('/screen/picture');
