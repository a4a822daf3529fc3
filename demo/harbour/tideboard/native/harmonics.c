double unused(double x){return x;}
